<script lang="ts">
  import type { System } from '$lib/api/client';
  import { count } from '$lib/model/differences';

  /** What a worker is doing for a system right now. */
  let { system }: { system: System } = $props();
  const work = $derived(system.work[0]);
</script>

{#if work}
  <span class="flex items-center gap-1.5 text-pick" role="status">
    <svg width="10" height="10" class="animate-spin" viewBox="0 0 10 10" aria-hidden="true">
      <circle
        cx="5"
        cy="5"
        r="4"
        fill="none"
        stroke="currentColor"
        stroke-width="2"
        stroke-dasharray="14 12"
      />
    </svg>
    {work.kind === 'backup' ? 'backing up' : 'looking'}{work.objects_seen
      ? `, ${count(work.objects_seen, 'object')}`
      : ''}
  </span>
{/if}
