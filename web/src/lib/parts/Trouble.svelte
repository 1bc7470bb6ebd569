<script lang="ts">
  import { Failure } from '$lib/api/client';

  let { error }: { error: Error } = $props();
  const wayOut = $derived(error instanceof Failure ? error.wayOut : '');
</script>

<div role="alert" class="border-l-3 border-stop bg-sheet py-1 pl-3">
  <p class="font-semibold">{error.message}</p>
  {#if wayOut}<p class="text-ink-2">{wayOut}</p>{/if}
</div>
