<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import type { Common } from '$lib/api/client';
  import { queryClient } from '$lib/api/cache';
  import { commonPaths, type Looked } from '$lib/api/comparing';
  import { count } from '$lib/model/differences';
  import { plainName, type Path } from '$lib/model/paths';
  import type { Picks } from '$lib/model/picks.svelte';
  import IgnoreButton from './IgnoreButton.svelte';
  import PutButton from './PutButton.svelte';
  import Value from './Value.svelte';

  /** One change that several objects have in common, picked in all of them at once or in some. */
  interface Props {
    one: Common;
    looked: Looked;
    picks: Picks;
    /** The branch whose objects are meant. */
    branch: Path;
    live: boolean;
    onchoose: (path: Path) => void;
  }
  let { one, looked, picks, branch, live, onchoose }: Props = $props();

  const SHOWN = 200;
  let opened = $state(false);
  let told = $state('');
  const name = $derived(one.attribute.name);
  // whether it is picked in all of them is asked only where some of it may be
  const touched = $derived(
    picks.things.some((t) => t.scope !== 'remove' && (!t.attributes.length || has(t.attributes))),
  );
  const asked = $derived(commonPaths(looked, one.number, branch));
  const where = createQuery(() => ({ ...asked, enabled: opened || touched }));
  const paths = $derived((where.data?.paths ?? []) as Path[]);
  const taken = $derived.by(() => {
    if (!touched || !paths.length) return 'none';
    const states = paths.map((path) => picks.attributeState(path, name));
    if (states.every((s) => s === 'all')) return 'all';
    return states.some((s) => s !== 'none') ? 'some' : 'none';
  });

  function has(parts: { name: string }[]): boolean {
    return parts.some((part) => part.name === name);
  }

  async function toggle(): Promise<void> {
    const before = taken;
    const found = await queryClient.fetchQuery(asked);
    if (before === 'all') {
      picks.dropAttribute(found.paths, name);
      told = `let go in ${count(found.paths.length, 'object')}`;
      return;
    }
    picks.addAttribute(found.paths, name);
    told = `picked in ${count(found.paths.length, 'object')}`;
    if (found.total > found.paths.length)
      told += `, the first of ${found.total.toLocaleString('en')}`;
  }

  /** What is different where that is more than one value that became another. */
  const words = $derived.by((): string => {
    const { stretches, keys, parts } = one.attribute;
    if (stretches.length) return count(parts.length, 'hunk');
    return keys.length ? count(keys.length, 'value') : '';
  });
</script>

<div
  role="row"
  data-common={one.number}
  class="row group items-start border-b border-line py-1.5 {taken === 'all' ? 'bg-pick-wash' : ''}"
>
  <div role="rowheader" class="min-w-0">
    <button class="text-left" aria-expanded={opened} onclick={() => (opened = !opened)}
      ><span class="text-ink-2" aria-hidden="true">{opened ? '▾' : '▸'}</span>
      <b class="font-semibold">{count(one.count, 'object')}</b></button
    >
    <small class="block truncate text-xs text-ink-3" title={one.named.join('\n')}
      >{one.kind_label}{told ? ` · ${told}` : ''}</small
    >
  </div>
  <span class="min-w-0 truncate text-ink-2" title={name}
    >{one.attribute.label}
    <IgnoreButton
      {looked}
      what={{
        attribute: name,
        label: one.attribute.label,
        kind: one.kind,
        kindLabel: one.kind_label,
        pattern: '',
      }}
    /></span
  >
  {#if words}
    <span role="cell" class="text-ink-2">{words}</span>
  {:else}
    <div role="cell" class="min-w-0">
      {#each one.attribute.left as value, n (n)}<Value {value} {onchoose} side="left" />{:else}<span
          class="text-ink-3">—</span
        >{/each}
    </div>
  {/if}
  <div role="cell">
    {#if live}
      <PutButton
        state={taken}
        takes={one.attribute.state === 'extra'}
        label="Put back {one.attribute.label} in all {one.count.toLocaleString('en')}"
        onput={toggle}
      />
    {/if}
  </div>
  <div role="cell" class="min-w-0">
    {#if words}
      <span class="text-ink-2">{taken === 'all' ? 'as in the backup' : 'the same in each'}</span>
    {:else}
      {#each one.attribute.right as value, n (n)}<Value
          {value}
          {onchoose}
          was={taken === 'all'}
        />{:else}{#if taken !== 'all'}<span class="text-ink-3">—</span>{/if}{/each}
      {#if taken === 'all'}
        {#each one.attribute.left as value, n (n)}<Value {value} {onchoose} will />{/each}
      {/if}
    {/if}
  </div>
  {#if opened}
    <ul class="col-span-5 mt-1 columns-2 gap-x-6 border-l-3 border-line pl-3">
      {#each paths.slice(0, SHOWN) as path (path.join('\0'))}
        <li class="flex items-center gap-2">
          <button
            class="link min-w-0 truncate text-left"
            title={path.join(' / ')}
            onclick={() => onchoose(path)}>{plainName(path.at(-1)!)}</button
          >
          <small class="min-w-0 truncate text-xs text-ink-3"
            >{path.slice(branch.length, -1).map(plainName).join(' / ')}</small
          >
          {#if live}
            <span class="ml-auto"
              ><PutButton
                small
                state={picks.attributeState(path, name)}
                label="Put back {one.attribute.label} in {plainName(path.at(-1)!)}"
                onput={() =>
                  picks.hasAttribute(path, name)
                    ? picks.dropAttribute([path], name)
                    : picks.addAttribute([path], name)}
              /></span
            >
          {/if}
        </li>
      {/each}
      {#if where.isPending}<li class="text-ink-2">Asking where they are…</li>{/if}
      {#if (where.data?.total ?? 0) > SHOWN}
        <li class="text-sm text-ink-2">These are the first {SHOWN} of {where.data!.total}.</li>
      {/if}
    </ul>
  {/if}
</div>
