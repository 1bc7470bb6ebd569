<script lang="ts">
  import { dropped } from '$lib/model/dropped.svelte';
  import { navigate } from '../../routes';

  /** Takes files that are dropped anywhere on the window to where they are opened. */
  let over = $state(0);

  const holdsFile = (event: DragEvent): boolean =>
    [...(event.dataTransfer?.types ?? [])].includes('Files');

  function drop(event: DragEvent): void {
    if (!holdsFile(event)) return;
    event.preventDefault();
    over = 0;
    dropped.waiting = event.dataTransfer?.files[0];
    void navigate('/files');
  }
</script>

<svelte:window
  ondragenter={(event) => {
    if (holdsFile(event)) over += 1;
  }}
  ondragleave={() => (over = Math.max(0, over - 1))}
  ondragover={(event) => {
    if (holdsFile(event)) event.preventDefault();
  }}
  ondrop={drop}
/>
{#if over}
  <div
    class="pointer-events-none fixed inset-3 z-40 grid place-content-center border-3 border-dashed border-pick bg-pick-wash/90 text-lg font-semibold"
  >
    Let go to open the file. Nothing live is touched by it.
  </div>
{/if}
