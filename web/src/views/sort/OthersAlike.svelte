<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { inCommon, type Looked } from '$lib/api/comparing';
  import type { Path } from '$lib/model/paths';
  import type { Picks } from '$lib/model/picks.svelte';
  import CommonRow from './CommonRow.svelte';

  /** Where other objects changed as one did: all of them can be picked from here. */
  interface Props {
    looked: Looked;
    picks: Picks;
    path: Path;
    onchoose: (path: Path) => void;
  }
  let { looked, picks, path, onchoose }: Props = $props();

  const found = createQuery(() => inCommon(looked, path, false));
</script>

{#if found.data?.groups.length}
  <section class="my-3" aria-label="Changes in common">
    <h3 class="border-b border-line-strong pb-0.5 text-sm font-semibold">
      Others changed in the same way
    </h3>
    <div role="table" aria-label="Others changed in the same way">
      {#each found.data.groups as one (one.number)}
        <CommonRow {one} {looked} {picks} branch={[]} live={true} {onchoose} />
      {/each}
    </div>
  </section>
{/if}
