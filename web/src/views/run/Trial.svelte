<script lang="ts">
  import type { Run } from '$lib/api/client';
  import { tryOut } from '$lib/api/running';

  /** Sees that what was restored works, by using it once, where somebody asks for it. */
  let { run, step, does }: { run: Run; step: number; does: string } = $props();

  let waiting = $state(false);
  let said = $state('');
  let error = $state('');

  async function go(): Promise<void> {
    waiting = true;
    said = error = '';
    try {
      said = await tryOut(run.id, step);
    } catch (problem) {
      error = (problem as Error).message;
    } finally {
      waiting = false;
    }
  }
</script>

<p class="mb-2 flex flex-wrap items-baseline gap-x-3">
  <button class="act" disabled={waiting} onclick={go}>{waiting ? 'Waiting for it…' : does}</button>
  {#if said}<span role="status">{said}</span>{/if}
  {#if error}<span role="alert" class="border-l-3 border-stop pl-2">{error}</span>{/if}
</p>
