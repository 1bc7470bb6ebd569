<script lang="ts">
  import type { Row } from '$lib/api/client';
  import {
    count,
    differingBeneath,
    isPickable,
    isQuiet,
    MEANING,
    putBack,
    STATES,
    total,
    type State,
  } from '$lib/model/differences';
  import { plainName } from '$lib/model/paths';
  import type { PickState } from '$lib/model/picks.svelte';
  import Mark from '$lib/parts/Mark.svelte';
  import PickBox from '$lib/parts/PickBox.svelte';

  interface Props {
    id: string;
    row: Row;
    open: boolean;
    chosen: boolean;
    live: boolean;
    picked: PickState;
    /** How many letters there is room for. */
    room: number;
    ontoggle: () => void;
    onchoose: () => void;
    onpick: () => void;
  }
  let { id, row, open, chosen, live, picked, room, ontoggle, onchoose, onpick }: Props = $props();

  const name = $derived(plainName(row.name) || 'everything');
  const beneath = $derived(differingBeneath(row));
  const pickable = $derived(live && isPickable(row));
  const stays = $derived(row.tally.extra ? `; ${row.tally.extra} extra stay as they are` : '');
  const what = $derived(
    row.state === 'extra'
      ? `Take ${name} away from live`
      : beneath
        ? `Put back the ${count(putBack(row.tally), 'object')} in ${name} that are missing, moved or changed${stays}`
        : `Put back ${name}`,
  );
  const told = $derived(
    row.state === 'changed'
      ? row.attributes.length === 1
        ? row.attributes[0]!
        : count(row.attributes.length, 'attribute')
      : isQuiet(row.state)
        ? ''
        : row.similarity !== null && row.state !== 'moved'
          ? `${row.state}, or moved?`
          : row.state,
  );
  // what stands beside the name does so only where it leaves room for it
  const fit = (beside: string): boolean => name.length + 2 * row.depth + beside.length + 6 <= room;
  const fits = $derived(fit(row.brief?.join('') ?? ''));
  const WIDEST = 46;
  const bars = $derived.by(() => {
    const sum = total(row.tally);
    const scale = Math.min(5, WIDEST / Math.max(1, sum));
    return STATES.filter((s) => row.tally[s]).map((state) => ({
      state,
      width: Math.max(3, row.tally[state]! * scale),
    }));
  });
  const hue: Record<string, string> = Object.fromEntries(STATES.map((s) => [s, `var(--${s})`]));
</script>

<!-- svelte-ignore a11y_click_events_have_key_events -->
<div
  {id}
  role="treeitem"
  tabindex="-1"
  aria-level={row.depth + 1}
  aria-selected={chosen}
  aria-expanded={row.children ? open : undefined}
  onclick={onchoose}
  class="grid h-full grid-cols-[16px_14px_14px_minmax(0,1fr)_auto] items-center gap-1.5 pr-3 whitespace-nowrap
    {picked === 'all' ? 'bg-pick-wash' : chosen ? 'bg-sheet' : 'hover:bg-sheet'}
    {chosen ? 'shadow-[inset_3px_0_0_var(--ink)]' : ''}"
  style:padding-left="{8 + row.depth * 14}px"
>
  {#if pickable}
    <PickBox state={picked} removes={row.state === 'extra'} label={what} tabindex={-1} {onpick} />
  {:else}
    <span></span>
  {/if}
  {#if row.children}
    <button
      class="text-ink-2"
      tabindex="-1"
      aria-label={open ? `close ${name}` : `open ${name}`}
      onclick={(event) => {
        event.stopPropagation();
        ontoggle();
      }}>{open ? '▾' : '▸'}</button
    >
  {:else}
    <span></span>
  {/if}
  {#if !isQuiet(row.state)}<Mark state={row.state} />{:else}<span></span>{/if}
  <span
    class="truncate {isQuiet(row.state) ? 'text-ink-2' : ''}"
    style:color={['missing', 'extra'].includes(row.state) ? hue[row.state] : undefined}
    title="{row.path.map(plainName).join(' / ') || row.name} · {row.kind_label}">{name}</span
  >
  {#if row.brief && fits}
    <span
      class="flex min-w-0 items-baseline gap-1 font-mono text-xs"
      style:color={hue[row.state]}
      title="{row.attributes[0]}: {row.brief.join(' became ')}"
    >
      <span class="min-w-0 truncate">{row.brief[0] || '(empty)'}</span>
      <span aria-label="became" class="text-ink-3">›</span>
      <span class="min-w-0 truncate">{row.brief[1] || '(empty)'}</span>
    </span>
  {:else if told}
    <span
      class="max-w-28 truncate text-sm"
      style:color={hue[row.state]}
      title={MEANING[row.state as State]}>{told}</span
    >
  {:else if beneath}
    <span class="flex gap-px" title={count(beneath, 'difference')}>
      {#each bars as { state, width } (state)}
        <i class="block h-1.5" style:width="{width}px" style:background={hue[state]}></i>
      {/each}
    </span>
  {:else if fit(row.kind_label)}
    <span class="text-sm text-ink-3">{row.kind_label}</span>
  {/if}
</div>
