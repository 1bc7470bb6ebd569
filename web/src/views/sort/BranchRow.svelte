<script lang="ts">
  import type { BranchRow } from '$lib/api/client';
  import type { Looked } from '$lib/api/comparing';
  import {
    count,
    meaning,
    shortName,
    type Sides,
    type State as Differs,
  } from '$lib/model/differences';
  import { plainName, type Path } from '$lib/model/paths';
  import type { Picks } from '$lib/model/picks.svelte';
  import Mark from '$lib/parts/Mark.svelte';
  import AttributeRow from './AttributeRow.svelte';
  import PlaceRow from './PlaceRow.svelte';
  import PutButton from './PutButton.svelte';
  import Value from './Value.svelte';

  /** One object in the table of a branch: where it is, and each thing that differs of it. */
  interface Props {
    row: BranchRow;
    looked: Looked;
    picks: Picks;
    /** The branch, which the places of its objects are told from. */
    path: Path;
    live: boolean;
    sides: Sides;
    onchoose: (path: Path) => void;
  }
  let { row, looked, picks, path, live, sides, onchoose }: Props = $props();

  const within = $derived(row.path.slice(path.length, -1).map(plainName).join(' / '));
  const name = $derived(plainName(row.path.at(-1) ?? row.name));
  const oneSided = $derived(row.state === 'missing' || row.state === 'extra');
  const whole = $derived(oneSided || row.state === 'recreated');
  const taken = $derived(picks.stateOf(row.path, row.state));
  const told = $derived(
    row.holds
      ? `${row.state}, with ${count(row.holds, 'object')} in it`
      : meaning(row.state as Differs, sides),
  );
</script>

{#snippet values()}
  {#each row.attributes as attribute (attribute.name)}
    <div class="flex min-w-0 flex-wrap gap-x-1.5">
      <span class="shrink-0 text-sm text-ink-3">{attribute.label}</span>
      <span class="min-w-[12ch] flex-1">
        {#each [...attribute.both, ...(row.state === 'missing' ? attribute.left : attribute.right)].slice(0, 3) as value, n (n)}
          <Value {value} {onchoose} was={row.state === 'extra' && taken === 'all'} />
        {/each}
      </span>
    </div>
  {/each}
  {#if row.more}<small class="text-xs text-ink-3">and {row.more} more</small>{/if}
{/snippet}

<div
  role="rowgroup"
  aria-label={row.written}
  data-object={row.written}
  class="grid grid-cols-[minmax(96px,27%)_minmax(0,1fr)] gap-x-2.5 border-b border-line {taken ===
  'all'
    ? 'bg-pick-wash'
    : ''}"
>
  <button
    class="group flex min-w-0 items-start gap-1.5 py-1.5 text-left"
    title="{row.written} · {row.kind_label}"
    onclick={() => onchoose(row.path)}
  >
    <span class="mt-0.5"><Mark state={row.state} /></span>
    <span class="min-w-0">
      <span class="block break-words group-hover:underline">{name}</span>
      {#if within}<small class="block truncate text-xs text-ink-3">{within}</small>{/if}
    </span>
  </button>
  <div class="branch-cells min-w-0">
    {#if whole}
      <div
        role="row"
        class="grid grid-cols-[var(--named)_minmax(0,1fr)_38px_minmax(0,1fr)] items-start gap-x-2.5 py-1.5"
      >
        <div role="cell" class="col-span-2 min-w-0">
          {#if row.state === 'extra'}<span class="text-ink-3"
              >not in the {shortName(sides.left)}</span
            >{:else}{@render values()}{/if}
          <small class="block text-xs text-ink-3">{told}</small>
        </div>
        <div role="cell">
          {#if live}
            <PutButton
              state={taken}
              takes={row.state === 'extra'}
              label={row.state === 'extra' ? `Take ${name} away from live` : `Put back ${name}`}
              onput={() =>
                picks.toggleRow(row.path, row.state, row.state === 'missing' && row.holds > 0)}
            />
          {/if}
        </div>
        <div role="cell" class="min-w-0">
          {#if row.state === 'extra'}
            {@render values()}
          {:else if taken === 'all'}
            <span class="font-semibold text-pick">will be as in the {shortName(sides.left)}</span>
          {:else}
            <span class="text-ink-3"
              >{row.state === 'missing' ? 'not there' : 'another object'}</span
            >
          {/if}
        </div>
      </div>
    {/if}
    {#if row.state === 'moved' && row.live_path}
      <PlaceRow
        path={row.path}
        livePath={row.live_path}
        {picks}
        {live}
        differing={row.differing}
        label="Put back the place of {name}"
      />
    {/if}
    {#if !oneSided}
      {#each row.attributes as attribute (attribute.name)}
        <AttributeRow
          {attribute}
          path={row.path}
          {looked}
          {picks}
          pickable={live && !whole && row.state !== 'unreadable'}
          source={shortName(sides.left)}
          other={live ? 'not live' : `not in the ${sides.right}`}
          comes={whole && taken === 'all'}
          differing={row.differing}
          {onchoose}
        />
      {/each}
      {#if row.differing.includes('kind')}
        <p class="py-1.5 text-ink-2">It is another kind of object.</p>
      {/if}
      {#if row.state === 'unreadable'}
        <p class="py-1.5 text-ink-2">{told}</p>
      {/if}
    {/if}
  </div>
</div>

<style>
  .branch-cells {
    --named: 92px;
  }
  .branch-cells :global([data-attribute]:last-child) {
    border-bottom: 0;
  }
</style>
