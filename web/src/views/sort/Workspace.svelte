<script lang="ts">
  import { searchParams } from 'sv-router';
  import { tick } from 'svelte';
  import type { Rules, System } from '$lib/api/client';
  import { queryClient } from '$lib/api/cache';
  import { neighbour, type Looked } from '$lib/api/comparing';
  import { askWork } from '$lib/api/queries';
  import { aheadFrom } from '$lib/model/ahead';
  import { closeText, lookedAt, openText, textShown } from '$lib/model/looked.svelte';
  import type { AskedFor } from '$lib/model/asked';
  import { takesKeys } from '$lib/model/keys';
  import { keyOnBench, nextPick } from '$lib/model/bench';
  import { createCompared } from '$lib/model/compared.svelte';
  import { readPath, samePath, type Path } from '$lib/model/paths';
  import { Picks } from '$lib/model/picks.svelte';
  import { createShownTree } from '$lib/model/shown_tree.svelte';
  import KeepSheet from '$lib/parts/KeepSheet.svelte';
  import KeyHints from '$lib/parts/KeyHints.svelte';
  import Title from '$lib/parts/Title.svelte';
  import BenchSection from './BenchSection.svelte';
  import Panes from './Panes.svelte';
  import RulesDialog from './RulesDialog.svelte';
  import Strip from './Strip.svelte';
  import TrayPane from './TrayPane.svelte';
  import TreePane from './TreePane.svelte';
  import WholeText from './WholeText.svelte';

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
  const only = $derived(searchParams.get('show') === 'all' ? 'all' : 'differences');
  const at = $derived(searchParams.get('at')?.toString());
  const path = $derived(readPath(at));
  const compared = createCompared(() => ({ looked, path }));
  const { head, shown } = compared;
  const live = $derived(compared.live);
  const sides = $derived(compared.sides);
  const tree = createShownTree(
    () => ({ looked, only }),
    (fresh) => (path === undefined ? go('next', fresh) : fresh.reveal(path)),
    (problem) => (error = problem),
  );
  const rows = $derived(tree.current);
  const row = $derived.by(() => {
    const line = path && rows.line(rows.indexOf(path));
    return line && 'row' in line ? line.row : undefined;
  });
  /** The text that is shown over the whole width. */
  const whole = $derived(
    shown.data?.attributes.find((a) => a.name === textShown() && a.stretches.length),
  );
  let error = $state<Error>();
  let rulesOpen = $state(false);
  let filtering = $state(false);
  /** The branch that is about to be kept. */
  let keeping = $state<Path>();
  let drawn = $state(false);
  let entering = $state(false);
  let benchSection = $state<HTMLElement>();
  let trayPane = $state<TrayPane>();
  let treePane = $state<TreePane>();

  // Who goes to the bench goes to what it will show, which may still be on its way; what can be
  // picked there is known with the head.
  $effect(() => {
    if (!entering || !head.data || !shown.data || !samePath(shown.data.path, path ?? [])) return;
    entering = false;
    void tick().then(() => nextPick(benchSection, 0));
  });

  $effect(() => {
    if (path !== undefined && rows.top) return aheadFrom(looked, rows, path);
  });

  function choose(chosen: Path, backup = left): void {
    // what is chosen for a person who arrives is no step of its own to go back by
    const replace = path === undefined;
    searchParams.set('at', JSON.stringify(chosen), { replace });
    if (backup !== left) searchParams.set('left', String(backup));
  }

  async function go(way: 'next' | 'previous', tree = rows): Promise<void> {
    const from = path;
    const found = await queryClient.fetchQuery(neighbour(looked, from ?? [], way));
    if (!found) return;
    await tree.reveal(found);
    // who chose something else in the meantime is not taken away from it
    if (path === from) choose(found);
  }

  const HINTS: [string, string][] = [
    ['Space', 'pick'],
    [']', 'next difference'],
    ['/', 'search'],
    ['F', 'filter'],
    ['P', 'preview'],
    ['B', 'keep this branch'],
    ['?', 'help'],
  ];
  const KEYS: Record<string, () => unknown> = {
    ']': () => step('next'),
    '[': () => step('previous'),
    t: () => document.querySelector<SVGElement>('svg [tabindex="0"]')?.focus(),
    v: () => searchParams.delete('right'),
    f: () => (filtering = true),
    r: () => (rulesOpen = true),
    w: () => widen(),
    p: () => trayPane?.preview(),
    b: () => (keeping = shown.data?.live_path ?? path ?? []),
    l: () => work('look'),
  };

  async function step(way: 'next' | 'previous'): Promise<void> {
    treePane?.focus();
    await go(way);
  }

  async function keyed(event: KeyboardEvent): Promise<void> {
    if (takesKeys(event.target)) return;
    const chord = event.ctrlKey || event.metaKey || event.altKey;
    const act = KEYS[event.key.toLowerCase()];
    if ((event.ctrlKey || event.metaKey) && event.key === 'z') picks.undo();
    else if (chord) return;
    else if (keyOnBench(benchSection, event.key, () => treePane?.focus())) drawn = false;
    else if (act) await act();
    else return;
    event.preventDefault();
  }

  function widen(): void {
    const text = shown.data?.attributes.find((a) => a.state === 'changed' && a.stretches.length);
    if (text) openText(shown.data!.path, text.name);
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
  <Panes inert={whole !== undefined}>
    {#snippet tree()}
      <TreePane
        bind:this={treePane}
        tree={rows}
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
    {/snippet}
    {#snippet bench()}
      <BenchSection
        {system}
        {looked}
        head={head.data}
        bench={shown.data}
        {row}
        {picks}
        {live}
        {sides}
        error={error ?? head.error ?? shown.error}
        bind:asked
        bind:element={benchSection}
        onchoose={choose}
        onbackup={(at) => (keeping = at)}
        onagain={({ kind, at }) => void work(kind, at)}
        ondraw={() => (drawn = true)}
      />
    {/snippet}
    {#snippet tray()}
      <TrayPane
        bind:this={trayPane}
        {system}
        {looked}
        {picks}
        {live}
        {sides}
        {drawn}
        onchoose={choose}
        onclose={() => (drawn = false)}
      />
    {/snippet}
  </Panes>
  {#if whole && shown.data}
    <WholeText
      bench={shown.data}
      attribute={whole}
      {looked}
      {picks}
      {live}
      {sides}
      onclose={closeText}
    />
  {/if}
  <KeyHints keys={HINTS} note="Looking changes nothing. Live is written only by a run." />
</div>
<KeepSheet
  bind:open={() => keeping !== undefined, () => (keeping = undefined)}
  {system}
  at={keeping ?? []}
  onasked={(made) => (asked = made)}
/>
{#if head.data}
  <RulesDialog
    bind:open={rulesOpen}
    {system}
    {looked}
    rules={head.data.rules as Rules}
    likeness={head.data.alike}
  />
{/if}
