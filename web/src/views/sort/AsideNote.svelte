<script lang="ts">
  import type { CompareHead } from '$lib/api/client';
  import { count } from '$lib/model/differences';

  /** What of an opened file has no place in the system: told by number, and by name on demand. */
  let { head }: { head: CompareHead } = $props();

  let shown = $state(false);
</script>

<div class="border-l-3 border-confirm pl-2">
  <button class="link text-left" aria-expanded={shown} onclick={() => (shown = !shown)}
    >{count(head.aside_count, 'object')} of the file
    {head.aside_count === 1 ? 'has' : 'have'} no place here</button
  >
  {#if shown}
    <ul class="max-h-40 overflow-auto">
      {#each head.aside as one (one.written)}
        <li class="break-words">
          <span class="font-mono text-xs">{one.written}</span>{one.count > 1
            ? ` and ${count(one.count - 1, 'object')} beneath it`
            : ''}: {one.why}
        </li>
      {/each}
    </ul>
  {/if}
</div>
