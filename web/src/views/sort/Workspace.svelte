<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { searchParams } from 'sv-router';
  import { tick } from 'svelte';
  import type { Rules, System } from '$lib/api/client';
  import {
    askWork,
    bench,
    compareHead,
    neighbour,
    queryClient,
    type Looked,
  } from '$lib/api/queries';
  import { fetchAhead } from '$lib/model/ahead';
  import { lookedAt, setParameter } from '$lib/model/looked.svelte';
  import { nameOf } from '$lib/model/differences';
  import type { AskedFor } from '$lib/model/asked';
  import { takesKeys } from '$lib/model/keys';
  import { keyOnBench, nextPick } from '$lib/model/bench';
  import { readPath, samePath, type Path } from '$lib/model/paths';
  import { Picks } from '$lib/model/picks.svelte';
  import { Tree } from '$lib/model/tree.svelte';
  import KeepSheet from '$lib/parts/KeepSheet.svelte';
  import KeyHints from '$lib/parts/KeyHints.svelte';
  import Title from '$lib/parts/Title.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import AskedLine from './AskedLine.svelte';
  import BenchPane from './BenchPane.svelte';
  import KeysDialog from './KeysDialog.svelte';
  import NothingDiffers from './NothingDiffers.svelte';
  import RulesDialog from './RulesDialog.svelte';
  import Strip from './Strip.svelte';
  import TrayPane from './TrayPane.svelte';
  import TreePane from './TreePane.svelte';

  interface Props {
    system: System;
    left: number;
    right: number;
    /** What was asked for here; it outlives the look that it was asked on. */
    asked: AskedFor | undefined;
  }
  let { system, left, right, asked = $bindable() }: Props = $props();

  // svelte-ignore state_referenced_locally
  const picks = new Picks(system.id, left);
  // a string, so that what does not change in the URL makes nothing be asked again
  const written = $derived(JSON.stringify(lookedAt(left, right)));
  const looked = $derived(JSON.parse(written) as Looked);
  const head = createQuery(() => compareHead(looked));
  const only = $derived(searchParams.get('show') === 'all' ? 'all' : 'differences');
  const at = $derived(searchParams.get('at')?.toString());
  const path = $derived(readPath(at));
  const live = $derived(head.data?.right.kind === 'look');
  const sides = $derived({
    left: nameOf(head.data?.left, 'backup'),
    right: live || !head.data ? 'live' : nameOf(head.data.right, ''),
  });
  const tree = $derived(new Tree(looked, only));
  const shown = createQuery(() => ({ ...bench(looked, path ?? []), enabled: path !== undefined }));
  const row = $derived.by(() => {
    const line = path && tree.line(tree.indexOf(path));
    return line && 'row' in line ? line.row : undefined;
  });
  const AHEAD = 20;
  let error = $state<Error>();
  let keysOpen = $state(false);
  let rulesOpen = $state(false);
  let filtering = $state(false);
  /** The branch that is about to be kept. */
  let keeping = $state<Path>();
  let drawn = $state(false);
  let entering = $state(false);
  let benchSection = $state<HTMLElement>();
  let tray = $state<TrayPane>();
  let treePane = $state<TreePane>();

  $effect(() => {
    const fresh = tree;
    fresh
      .begin(() => (path === undefined ? go('next') : fresh.reveal(path)))
      .catch((problem: Error) => (error = problem));
  });

  // Who goes to the bench goes to what it will show, which may still be on its way; what can be
  // picked there is known with the head.
  $effect(() => {
    if (!entering || !head.data || !shown.data || !samePath(shown.data.path, path ?? [])) return;
    entering = false;
    void tick().then(() => nextPick(benchSection, 0));
  });

  // What the next key most likely asks for is fetched ahead, as long as the person stays here.
  $effect(() => {
    if (path === undefined || !tree.top) return;
    const stay = { over: false };
    const timer = setTimeout(fetchAhead, AHEAD, looked, tree, path, stay);
    return () => {
      clearTimeout(timer);
      stay.over = true;
    };
  });

  function choose(chosen: Path, backup = left): void {
    // what is chosen for a person who arrives is no step of its own to go back by
    const replace = path === undefined;
    searchParams.set('at', JSON.stringify(chosen), { replace });
    if (backup !== left) searchParams.set('left', String(backup));
  }

  async function go(way: 'next' | 'previous'): Promise<void> {
    const from = path;
    const found = await queryClient.fetchQuery(neighbour(looked, from ?? [], way));
    if (!found) return;
    await tree.reveal(found);
    // who chose something else in the meantime is not taken away from it
    if (path === from) choose(found);
  }

  async function keyed(event: KeyboardEvent): Promise<void> {
    if (takesKeys(event.target)) return;
    if ((event.ctrlKey || event.metaKey) && event.key === 'z') picks.undo();
    else if (event.ctrlKey || event.metaKey || event.altKey) return;
    else if (event.key === ']' || event.key === '[') {
      treePane?.focus();
      await go(event.key === ']' ? 'next' : 'previous');
    } else if (keyOnBench(benchSection, event.key, () => treePane?.focus())) drawn = false;
    else if (event.key === '?') keysOpen = true;
    else if (event.key.toLowerCase() === 't')
      document.querySelector<SVGElement>('svg [tabindex="0"]')?.focus();
    else if (event.key.toLowerCase() === 'v') searchParams.delete('right');
    else if (event.key.toLowerCase() === 'f') filtering = true;
    else if (event.key.toLowerCase() === 'r') rulesOpen = true;
    else if (event.key.toLowerCase() === 'p') await tray?.preview();
    else if (event.key.toLowerCase() === 'b') keeping = shown.data?.live_path ?? path ?? [];
    else if (event.key.toLowerCase() === 'l') await work('look');
    else return;
    event.preventDefault();
  }

  async function work(kind: AskedFor['kind'], at: Path = []): Promise<void> {
    error = undefined;
    try {
      if (kind === 'verify') return;
      asked = { number: await askWork(system.id, kind, at), kind, at };
    } catch (problem) {
      error = problem as Error;
    }
  }
</script>

<svelte:window onkeydown={keyed} />
<Title text="Sort {system.name}" />
<div class="grid min-h-0 grid-rows-[92px_minmax(0,1fr)_auto]">
  <Strip
    {system}
    {looked}
    head={head.data}
    {sides}
    onlook={() => work('look')}
    onrules={() => (rulesOpen = true)}
  />
  <main
    tabindex="-1"
    class="grid min-h-0 grid-cols-[minmax(230px,24%)_minmax(0,1fr)_minmax(220px,20%)] max-[999px]:grid-cols-[minmax(200px,30%)_minmax(0,1fr)]"
  >
    <TreePane
      bind:this={treePane}
      {tree}
      {picks}
      {path}
      {live}
      {only}
      {system}
      {looked}
      head={head.data}
      bind:filtering
      onchoose={choose}
      onenter={() => (entering = true)}
    />
    <section
      bind:this={benchSection}
      class="min-h-0 overflow-auto bg-sheet px-5 py-3"
      aria-label="Bench"
    >
      <button class="act float-right mb-1 min-[1000px]:hidden" onclick={() => (drawn = true)}
        >tray{picks.things.length ? `, ${picks.things.length} picked` : ''}</button
      >
      <AskedLine bind:asked {system} onagain={({ kind, at }) => void work(kind, at)} />
      {#if error ?? head.error ?? shown.error}
        <Trouble error={(error ?? head.error ?? shown.error)!} />
      {/if}
      {#if shown.data}
        {#key shown.data}
          <BenchPane
            bench={shown.data}
            {row}
            {looked}
            {picks}
            {live}
            {sides}
            onsource={(record) => setParameter('left', record)}
            onagainst={(record) => setParameter('right', record)}
            onchoose={choose}
            onbackup={(at) => (keeping = at)}
          />
        {/key}
      {:else if head.data && Object.keys(head.data.tally).length === 0}
        <NothingDiffers head={head.data} {system} />
      {/if}
    </section>
    <TrayPane
      bind:this={tray}
      {system}
      {looked}
      {picks}
      {live}
      {sides}
      {drawn}
      onchoose={choose}
      onclose={() => (drawn = false)}
    />
  </main>
  <KeyHints
    keys={[
      ['Space', 'pick'],
      [']', 'next difference'],
      ['/', 'search'],
      ['F', 'filter'],
      ['P', 'preview'],
      ['B', 'keep this branch'],
      ['?', 'all keys'],
    ]}
    note="Looking changes nothing. Live is written only by a run."
  />
</div>
<KeysDialog bind:open={keysOpen} />
<KeepSheet
  bind:open={() => keeping !== undefined, () => (keeping = undefined)}
  {system}
  at={keeping ?? []}
  onasked={(made) => (asked = made)}
/>
{#if head.data}
  <RulesDialog bind:open={rulesOpen} {system} {looked} rules={head.data.rules as Rules} />
{/if}
