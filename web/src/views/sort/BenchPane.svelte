<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import type { Bench, Row } from '$lib/api/client';
  import { objectHistory, type Looked } from '$lib/api/comparing';
  import {
    count,
    differingBeneath,
    meaning,
    shortName,
    type Sides,
    type State,
  } from '$lib/model/differences';
  import { placeOf, plainName, samePath, type Path } from '$lib/model/paths';
  import { sinceWhen } from '$lib/model/time';
  import type { Picks } from '$lib/model/picks.svelte';
  import Mark from '$lib/parts/Mark.svelte';
  import AttributeRow from './AttributeRow.svelte';
  import BeneathNote from './BeneathNote.svelte';
  import BenchNotes from './BenchNotes.svelte';
  import BranchTable from './BranchTable.svelte';
  import ElsewhereDialog from './ElsewhereDialog.svelte';
  import ExportDialog from './ExportDialog.svelte';
  import FoldedRows from './FoldedRows.svelte';
  import HistoryDots from './HistoryDots.svelte';
  import OthersAlike from './OthersAlike.svelte';
  import PlaceRow from './PlaceRow.svelte';

  interface Props {
    bench: Bench;
    row: Row | undefined;
    looked: Looked;
    picks: Picks;
    live: boolean;
    sides: Sides;
    onsource: (record: number) => void;
    onagainst: (record: number) => void;
    onchoose: (path: Path) => void;
    onbackup: (at: Path) => void;
  }
  let { bench, row, looked, picks, live, sides, onsource, onagainst, onchoose, onbackup }: Props =
    $props();

  let elsewhere = $state(false);
  let exporting = $state(false);
  // who goes quickly from one difference to the next does not ask for the past of each
  const PASSING = 150;
  let stayed = $state(false);
  $effect(() => {
    const timer = setTimeout(() => (stayed = true), PASSING);
    return () => clearTimeout(timer);
  });
  const past = createQuery(() => ({ ...objectHistory(looked, bench.path), enabled: stayed }));
  const times = $derived((past.data?.since ?? []).map((s) => [s.attribute, sinceWhen(s)] as const));
  const since = $derived(Object.fromEntries(times));
  // what holds for all that differ is said once
  const sinceAll = $derived(
    new Set(Object.values(since)).size === 1 && times.length > 0 ? times[0]![1] : '',
  );
  const isHidden = (name: string): boolean => bench.hidden.includes(name);
  const differing = $derived(
    bench.attributes.filter((a) => a.state !== 'same' && !isHidden(a.name)),
  );
  const hidden = $derived(bench.attributes.filter((a) => isHidden(a.name)));
  const own = $derived(differing.filter((a) => a.state !== 'follows').map((a) => a.name));
  const moved = $derived(bench.state === 'moved');
  const names = $derived(moved ? ['place', ...own] : own);
  const same = $derived(bench.attributes.filter((a) => a.state === 'same'));
  const onlyLeft = $derived(bench.left_exists && !bench.right_exists);
  const onlyRight = $derived(bench.right_exists && !bench.left_exists);
  const partsPickable = $derived(live && bench.left_exists && bench.right_exists);
  // what is picked changes live, and no backup: beside another backup nothing is shown as it will be
  const comes = $derived(live && picks.stateOf(bench.path, bench.state) === 'all');
  const other = $derived(live ? 'live' : `in the ${sides.right}`);
  const differsBeneath = $derived(row !== undefined && differingBeneath(row) > 0);
  const means = $derived(
    bench.state === 'outside'
      ? `not in this ${shortName(sides.left)}, so nothing is compared`
      : bench.state === 'same'
        ? differsBeneath
          ? 'itself the same on both sides'
          : 'the same on both sides'
        : moved && bench.live_path && samePath(bench.live_path, bench.path)
          ? `the same object, held by another one ${other}`
          : meaning(bench.state as State, sides),
  );
  const folded = $derived({ path: bench.path, looked, picks, differing: names, onchoose });
</script>

<div class="flex flex-wrap items-baseline gap-x-4">
  <div class="font-mono text-sm text-ink-2">
    {placeOf(bench.path) || '—'}
    {#if moved && bench.live_path && !samePath(bench.live_path, bench.path)}
      <span class="text-moved"
        >→ {other}
        {placeOf(bench.live_path) === placeOf(bench.path)
          ? `named ${plainName(bench.live_path.at(-1)!)}`
          : `in ${placeOf(bench.live_path)}`}</span
      >
    {/if}
  </div>
  <span class="ml-auto flex gap-2.5 whitespace-nowrap">
    {#if bench.left_exists && shortName(sides.left) !== 'file'}
      <button class="link text-sm font-normal" onclick={() => (elsewhere = true)}
        >put elsewhere…</button
      >
      <button class="link text-sm font-normal" onclick={() => (exporting = true)}
        >save to a file…</button
      >
    {/if}
    <button
      class="link text-sm font-normal"
      title="Keep this branch (B)"
      onclick={() => onbackup(bench.live_path ?? bench.path)}>keep this branch</button
    >
  </span>
</div>
<h2 class="mt-0.5 mb-1 flex flex-wrap items-center gap-2.5 text-xl font-semibold tracking-tight">
  <Mark state={bench.state} size={16} />
  {plainName(bench.name)}
  <span class="text-sm font-medium text-ink-2">{bench.kind_label} · {means}</span>
</h2>
{#if bench.written !== bench.name}
  <div class="mb-2 font-mono text-xs break-all text-ink-3">{bench.written}</div>
{/if}

<HistoryDots
  moments={past.data?.moments ?? []}
  behind={past.data?.behind ?? !past.data}
  left={looked.left}
  right={live ? 0 : looked.right}
  now={live && past.data ? (bench.right_exists ? bench.state : 'gone') : ''}
  {onsource}
  {onagainst}
/>
<BenchNotes
  {bench}
  since={sinceAll}
  right={live ? 'Live' : `The ${sides.right}`}
  waits={past.isPending && own.length > 0 && !onlyLeft && !onlyRight}
  {onchoose}
/>
{#if row && live}<BeneathNote {row} {looked} {picks} />{/if}

{#if bench.state !== 'outside' && (differing.length || moved || !differsBeneath)}
  <div role="table" aria-label="What differs of {plainName(bench.name)}">
    <div
      role="row"
      class="grid grid-cols-[128px_minmax(0,1fr)_38px_minmax(0,1fr)] gap-x-2.5 border-b border-line-strong py-0.5 text-sm text-ink-2"
    >
      <span role="columnheader">attribute</span><span role="columnheader"
        >{live ? shortName(sides.left) : sides.left}</span
      ><span role="columnheader" aria-label="pick"></span><span role="columnheader"
        >{live ? `live${comes ? ', as it will be' : ''}` : sides.right}</span
      >
    </div>
    {#if moved && bench.live_path}
      <PlaceRow path={bench.path} livePath={bench.live_path} {picks} {live} differing={names} />
    {/if}
    {#each differing as attribute (attribute.name)}
      <AttributeRow
        {attribute}
        path={bench.path}
        {looked}
        {picks}
        since={sinceAll ? '' : since[attribute.name]}
        pickable={partsPickable && attribute.state !== 'follows'}
        oneSided={onlyLeft || onlyRight}
        source={shortName(sides.left)}
        other={live ? 'not live' : `not in the ${sides.right}`}
        comes={onlyLeft && comes}
        goes={onlyRight && comes}
        differing={names}
        ignorable={bench.state === 'changed' && attribute.state !== 'follows'
          ? { kind: bench.kind, kindLabel: bench.kind_label, pattern: bench.pattern }
          : undefined}
        {onchoose}
      />
    {/each}
  </div>
  {#if !differing.length && !moved && !bench.unreadable}
    <p class="py-2 text-ink-2">No attribute differs.</p>
  {/if}
  {#if partsPickable && differing.length && stayed}
    <OthersAlike {looked} {picks} path={bench.path} {onchoose} />
  {/if}
{/if}
{#if differsBeneath}
  {#key bench.path}
    <BranchTable {looked} {picks} path={bench.path} {live} {sides} {onchoose} />
  {/key}
{/if}
{#if bench.state !== 'outside'}
  <FoldedRows
    {...folded}
    attributes={hidden}
    label="{count(hidden.length, 'attribute')} hidden by the rules"
    pickable={partsPickable}
    differing={[...names, ...hidden.map((a) => a.name)]}
  />
  <FoldedRows {...folded} attributes={same} label="{count(same.length, 'attribute')} the same" />
  <FoldedRows
    {...folded}
    attributes={bench.facts.map((fact) => ({ ...fact, state: 'same' as const }))}
    label="{count(bench.facts.length, 'fact')}, only to read"
  />
{/if}
{#if exporting}<ExportDialog bind:open={exporting} backup={looked.left} path={bench.path} />{/if}
{#if elsewhere}<ElsewhereDialog bind:open={elsewhere} {bench} backup={looked.left} />{/if}
