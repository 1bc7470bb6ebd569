<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import type { Common } from '$lib/api/client';
  import { askCommonPaths, inCommon, type Looked } from '$lib/api/queries';
  import { count } from '$lib/model/differences';
  import type { Path } from '$lib/model/paths';
  import type { Picks } from '$lib/model/picks.svelte';
  import Value from './Value.svelte';

  /** The same change in several objects, to be picked in all of them at once. */
  interface Props {
    looked: Looked;
    picks: Picks;
    path: Path;
    /** Whether those of a branch are told, and not those that one object shares. */
    beneath: boolean;
    onchoose: (path: Path) => void;
  }
  let { looked, picks, path, beneath, onchoose }: Props = $props();

  const found = createQuery(() => inCommon(looked, path, beneath));
  const branch = $derived(beneath ? path : []);
  /** Where the objects are of those changes that were picked here. */
  let known = $state<Record<number, Path[]>>({});
  let told = $state('');

  const isPicked = (one: Common): boolean =>
    known[one.number]?.every((at) => picks.hasAttribute(at, one.attribute.name)) ?? false;

  async function toggle(one: Common): Promise<void> {
    const { paths, total } = await askCommonPaths(looked, one.number, branch);
    if (isPicked(one)) {
      picks.dropAttribute(paths, one.attribute.name);
      told = `${one.attribute.label} let go in ${count(paths.length, 'object')}.`;
      return;
    }
    picks.addAttribute(paths, one.attribute.name);
    known = { ...known, [one.number]: paths };
    told = `${one.attribute.label} picked in ${count(paths.length, 'object')}.`;
    if (total > paths.length) told += ` These are the first of ${total.toLocaleString('en')}.`;
  }

  /** What is different where that is more than one value that became another. */
  function inWords({ attribute: a }: Common): string {
    if (a.stretches.length) return count(a.parts.length, 'hunk');
    if (a.keys.length) return count(a.keys.length, 'value');
    return '';
  }
</script>

{#if found.data?.groups.length}
  <section class="my-3" aria-label="Changes in common">
    <h3 class="border-b border-line-strong pb-0.5 text-sm font-semibold">
      {beneath ? 'The same change in several objects' : 'Others changed in the same way'}
    </h3>
    <ul>
      {#each found.data.groups as one (one.number)}
        {@const picked = isPicked(one)}
        <li
          class="grid grid-cols-[128px_minmax(0,1fr)_auto] items-baseline gap-x-2.5 border-b border-line py-1.5 {picked
            ? 'bg-pick-wash'
            : ''}"
        >
          <span class="truncate text-ink-2" title={one.attribute.name}
            >{one.attribute.label}<small class="block text-xs text-ink-3">{one.kind_label}</small
            ></span
          >
          <span class="flex min-w-0 flex-wrap items-baseline gap-x-2">
            {#if inWords(one)}
              {inWords(one)}
            {:else}
              {#each one.attribute.left as value, n (n)}<Value {value} {onchoose} />{:else}<span
                  class="text-ink-3">nothing</span
                >{/each}
              <span class="text-ink-3" aria-label="became">became</span>
              {#each one.attribute.right as value, n (n)}<Value {value} {onchoose} />{:else}<span
                  class="text-ink-3">nothing</span
                >{/each}
            {/if}
          </span>
          <button
            class="act whitespace-nowrap"
            aria-pressed={picked}
            title={one.named.join('\n') + (one.count > one.named.length ? '\n…' : '')}
            onclick={() => toggle(one)}
            >{picked ? 'let go' : 'put back'} in all {one.count.toLocaleString('en')}</button
          >
        </li>
      {/each}
    </ul>
    {#if found.data.total > found.data.groups.length}
      <p class="text-sm text-ink-2">
        These are the {found.data.groups.length} of most objects, of {found.data.total}.
      </p>
    {/if}
    {#if found.data.unseen}
      <p class="text-sm text-ink-2">
        {count(found.data.unseen, 'difference')} were not looked through for it.
      </p>
    {/if}
    {#if told}<p class="text-sm text-ink-2" role="status">{told}</p>{/if}
  </section>
{/if}
