<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { inCommon, type Looked } from '$lib/api/comparing';
  import { count } from '$lib/model/differences';
  import type { Path } from '$lib/model/paths';
  import type { Picks } from '$lib/model/picks.svelte';
  import CommonRow from './CommonRow.svelte';

  /** The same change in several objects of a branch: rows of the table that they stand in. */
  interface Props {
    looked: Looked;
    picks: Picks;
    path: Path;
    live: boolean;
    onchoose: (path: Path) => void;
  }
  let { looked, picks, path, live, onchoose }: Props = $props();

  const found = createQuery(() => inCommon(looked, path, true));
</script>

{#each found.data?.groups ?? [] as one (one.number)}
  <CommonRow {one} {looked} {picks} branch={path} {live} {onchoose} />
{/each}
{#if found.data && found.data.total > found.data.groups.length}
  <p class="text-sm text-ink-2">
    These are the {found.data.groups.length} changes of most objects, of {found.data.total} that several
    have in common.
  </p>
{/if}
{#if found.data?.unseen}
  <p class="text-sm text-ink-2">
    {count(found.data.unseen, 'difference')} were not looked through for equal changes.
  </p>
{/if}
