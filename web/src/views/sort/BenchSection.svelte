<script lang="ts">
  import type { Bench, CompareHead, Row, System } from '$lib/api/client';
  import type { Looked } from '$lib/api/comparing';
  import type { AskedFor } from '$lib/model/asked';
  import type { Sides } from '$lib/model/differences';
  import { setParameter } from '$lib/model/looked.svelte';
  import type { Path } from '$lib/model/paths';
  import type { Picks } from '$lib/model/picks.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import AskedLine from './AskedLine.svelte';
  import BenchPane from './BenchPane.svelte';
  import NothingDiffers from './NothingDiffers.svelte';

  /** The middle of the workspace: what was asked for, what went wrong, and what is chosen. */
  interface Props {
    system: System;
    looked: Looked;
    head: CompareHead | undefined;
    bench: Bench | undefined;
    row: Row | undefined;
    picks: Picks;
    live: boolean;
    sides: Sides;
    error: Error | null | undefined;
    asked: AskedFor | undefined;
    element: HTMLElement | undefined;
    onchoose: (path: Path) => void;
    onbackup: (at: Path) => void;
    onagain: (what: AskedFor) => void;
    ondraw: () => void;
  }
  let {
    system,
    looked,
    head,
    bench,
    row,
    picks,
    live,
    sides,
    error,
    asked = $bindable(),
    element = $bindable(),
    onchoose,
    onbackup,
    onagain,
    ondraw,
  }: Props = $props();
</script>

<section bind:this={element} class="min-h-0 overflow-auto bg-sheet px-5 py-3" aria-label="Bench">
  <button class="act float-right mb-1 min-[1000px]:hidden" onclick={ondraw}
    >tray{picks.things.length ? `, ${picks.things.length} picked` : ''}</button
  >
  <AskedLine bind:asked {system} {onagain} />
  {#if error}<Trouble {error} />{/if}
  {#if bench}
    {#key bench}
      <BenchPane
        {bench}
        {row}
        {looked}
        {picks}
        {live}
        {sides}
        onsource={(record) => setParameter('left', record)}
        onagainst={(record) => setParameter('right', record)}
        {onchoose}
        {onbackup}
      />
    {/key}
  {:else if head && Object.keys(head.tally).length === 0}
    <NothingDiffers {head} {system} />
  {/if}
</section>
