<script lang="ts">
  import type { Bench } from '$lib/api/client';
  import { pathsIn, setPaths } from '$lib/model/looked.svelte';
  import { samePath } from '$lib/model/paths';

  /** A move that is told by likeness alone: a person says whether it is one. */
  let { bench }: { bench: Bench } = $props();

  const certain = $derived(bench.similarity === 1);
  const taken = $derived(pathsIn('taken').some((path) => samePath(path, bench.path)));
  const percent = $derived(Math.floor((bench.similarity ?? 0) * 100));

  function apart(): void {
    setPaths('apart', [...pathsIn('apart'), bench.path]);
  }
</script>

<div
  class="mb-2 flex flex-wrap items-center gap-x-3 gap-y-1 border-l-3 border-moved py-1 pl-3 text-sm"
  role="note"
>
  <span class="min-w-0 flex-1">
    {#if certain}
      Told as moved: what is missing here stands there with the very same content. The system keeps
      no ids that would prove it.
    {:else if taken}
      Taken as moved, {percent} % alike.
    {:else}
      <b class="font-semibold">Perhaps moved:</b> what stands there is {percent} % alike{bench.other_identity
        ? ', but the system gave it another id'
        : ''}. Is it the same object?
    {/if}
  </span>
  {#if !certain && !taken}
    <button class="act" onclick={() => setPaths('taken', [...pathsIn('taken'), bench.path])}
      >yes, moved</button
    >
  {/if}
  <button class="act" title="Tell it as one missing and one extra object" onclick={apart}
    >no, take apart</button
  >
</div>
