<script lang="ts">
  import { createInfiniteQuery } from '@tanstack/svelte-query';
  import { branch, type Looked } from '$lib/api/comparing';
  import { count, shortName, type Sides } from '$lib/model/differences';
  import type { Path } from '$lib/model/paths';
  import type { Picks } from '$lib/model/picks.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import BranchRow from './BranchRow.svelte';
  import CommonChanges from './CommonChanges.svelte';

  /** All that differs in a branch, as one table to decide on: equal changes first, once each. */
  interface Props {
    looked: Looked;
    picks: Picks;
    path: Path;
    live: boolean;
    sides: Sides;
    onchoose: (path: Path) => void;
  }
  let { looked, picks, path, live, sides, onchoose }: Props = $props();

  const found = createInfiniteQuery(() => branch(looked, path));
  const rows = $derived(found.data?.pages.flatMap((page) => page.rows) ?? []);
  const total = $derived(found.data?.pages[0]?.total ?? 0);
  const grouped = $derived(found.data?.pages[0]?.grouped ?? 0);
</script>

<div class="mt-2" role="table" aria-label="All that differs in it">
  <div role="row" class="row border-b border-line-strong py-0.5 text-sm text-ink-2">
    <span role="columnheader">object</span>
    <span role="columnheader">attribute</span>
    <span role="columnheader">{live ? shortName(sides.left) : sides.left}</span>
    <span role="columnheader" aria-label="pick"></span>
    <span role="columnheader">{live ? 'live' : sides.right}</span>
  </div>
  <CommonChanges {looked} {picks} {path} {live} {onchoose} />
  {#if found.error}<Trouble error={found.error} />{/if}
  {#each rows as row (row.state + row.path.join('\0'))}
    <BranchRow {row} {looked} {picks} {path} {live} {sides} {onchoose} />
  {/each}
</div>
{#if found.isPending}
  <p class="py-2 text-ink-2">Reading what differs…</p>
{/if}
{#if grouped && rows.length}
  <p class="py-1 text-sm text-ink-2">
    {count(grouped, 'object')} more {grouped === 1 ? 'differs' : 'differ'} only in what is told of several
    at once.
  </p>
{/if}
{#if found.hasNextPage}
  <button class="act my-2" disabled={found.isFetching} onclick={() => found.fetchNextPage()}
    >{found.isFetching
      ? 'Reading…'
      : `${(total - rows.length).toLocaleString('en')} more, show the next`}</button
  >
{/if}
