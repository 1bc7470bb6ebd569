<script lang="ts">
  import type { Bench } from '$lib/api/client';
  import { acceptedMoves, setAcceptedMoves } from '$lib/model/looked.svelte';
  import { samePath, type Path } from '$lib/model/paths';

  /**
   * A guess that a missing object is an extra one. It changes nothing until a person accepts it,
   * and what was accepted can be taken back.
   */
  let { bench, onchoose }: { bench: Bench; onchoose: (path: Path) => void } = $props();

  const guess = $derived(bench.suggestion);
  const other = $derived(bench.state === 'extra' ? guess?.path : guess?.live_path);
  const place = $derived(bench.state === 'extra' ? guess?.written : guess?.live_written);
  const percent = $derived(Math.floor((guess?.similarity ?? bench.similarity ?? 0) * 100));

  function accept(): void {
    if (!guess) return;
    setAcceptedMoves([...acceptedMoves(), [guess.path, guess.live_path]]);
    onchoose(guess.path);
  }

  function takeBack(): void {
    setAcceptedMoves(acceptedMoves().filter(([path]) => !samePath(path, bench.path)));
  }
</script>

<div
  class="mb-2 flex flex-wrap items-center gap-x-3 gap-y-1 border-l-3 border-moved py-1 pl-3 text-sm"
  role="note"
>
  <span class="min-w-0 flex-1">
    {#if guess && other}
      <b class="font-semibold">Perhaps moved:</b>
      {bench.state === 'extra' ? 'what is missing at' : 'what is extra at'}
      <button class="link font-mono" onclick={() => onchoose(other)}>{place}</button>
      is {percent} % alike. Unless you say so, the two stay two objects.
    {:else}
      Taken as moved because you said so; the two are {percent} % alike.
    {/if}
  </span>
  {#if guess}
    <button class="act" title="Putting it back then moves that object here" onclick={accept}
      >it is the same, moved</button
    >
  {:else}
    <button class="act" title="Tell it as one missing and one extra object" onclick={takeBack}
      >take that back</button
    >
  {/if}
</div>
