<script lang="ts">
  import type { Bench } from '$lib/api/client';
  import { count } from '$lib/model/differences';
  import { plainName, samePath, type Path } from '$lib/model/paths';
  import SuggestedMove from './SuggestedMove.svelte';

  /**
   * What a person should know of how this object differs, beside its values. While it is not known
   * yet since when it does, the line for it is kept free, so that nothing moves under the mouse.
   */
  interface Props {
    bench: Bench;
    since: string;
    /** What the right side is called, at the beginning of a sentence. */
    right: string;
    waits: boolean;
    onchoose: (path: Path) => void;
  }
  let { bench, since, right, waits, onchoose }: Props = $props();

  let allShown = $state(false);
  const SHOWN = 3;
  const follows = $derived(allShown ? bench.consequences : bench.consequences.slice(0, SHOWN));
</script>

{#if bench.unreadable}
  <p class="mb-2 border-l-3 border-unreadable py-1 pl-3">
    It could not be read: {bench.unreadable}. What can be read beneath it is compared; what cannot
    be seen there is not told as missing.
  </p>
{/if}
{#if bench.state === 'moved' && bench.live_path && samePath(bench.live_path, bench.path)}
  <p class="mb-2 border-l-3 border-moved py-1 pl-3 text-sm">
    It stands in the same place, but what holds it there is another object: the one that held it
    went elsewhere.
  </p>
{/if}
{#if bench.suggestion || bench.similarity !== null}
  <SuggestedMove {bench} {onchoose} />
{/if}
{#if bench.state === 'recreated'}
  <p class="mb-2 border-l-3 border-recreated py-1 pl-3 text-sm">
    Somebody deleted it and made another object of the same name. Putting its values back keeps the
    new object and its new id.
    {#if bench.referrers}{count(bench.referrers, 'object')} that {bench.referrers === 1
        ? 'names'
        : 'name'} it by its place now {bench.referrers === 1 ? 'means' : 'mean'} the new one.
    {:else if bench.referrers === 0}Nothing live refers to it.{/if}
  </p>
{/if}
{#if bench.consequence_count}
  <p class="mb-2 border-l-3 border-moved py-1 pl-3 text-sm">
    {count(bench.consequence_count, 'reference follows', 'references follow')} this move and will come
    back with it:
    {#each follows as one, n (n)}{n ? ', ' : ' '}<button
        class="link"
        onclick={() => onchoose(one.path)}
        >{plainName(one.path.at(-1) ?? '')}<span class="ml-1 text-ink-3">{one.attribute}</span
        ></button
      >{/each}{#if bench.consequences.length > SHOWN && !allShown}, <button
        class="link"
        onclick={() => (allShown = true)}>and {bench.consequence_count - SHOWN} more</button
      >{/if}.
  </p>
{/if}
{#if since || waits}
  <p class="mb-1 text-sm text-ink-2">{since ? `${right} ${since}.` : '\u00a0'}</p>
{/if}
