<script lang="ts">
  import { searchParams } from 'sv-router';
  import type { Ranked, System } from '$lib/api/client';
  import type { AskedFor } from '$lib/model/asked';
  import { byTag, FEW, inOrder, isMeant, ORDERS, type Order } from '$lib/model/watching';
  import Lane from './Lane.svelte';
  import LaneLine from './LaneLine.svelte';
  import WatchHead from './WatchHead.svelte';

  /** The lanes of all systems, or of those that are asked for. */
  interface Props {
    systems: System[];
    ranked: Ranked[];
    asked: Record<number, AskedFor>;
    onwork: (systems: number[], kind: 'backup' | 'look') => void;
    onseen: (system: number) => void;
    onopen: (system: number) => void;
  }
  let { systems, ranked, asked, onwork, onseen, onopen }: Props = $props();

  const typed = $derived(searchParams.get('only')?.toString() ?? '');
  const order = $derived.by((): Order => {
    const wanted = searchParams.get('order')?.toString();
    return ORDERS.find((one) => one === wanted) ?? 'as added';
  });
  const grouped = $derived(searchParams.get('grouped') === 'yes');
  const wanted = $derived(searchParams.get('lines')?.toString());
  const lines = $derived(wanted ? wanted === 'yes' : systems.length > FEW);
  const shown = $derived(
    inOrder(
      systems.filter((one) => isMeant(one, typed)),
      order,
      ranked,
    ),
  );
  const groups = $derived(grouped ? byTag(shown) : [{ tag: '', systems: shown }]);
  let at = $state<number>();
  const chosen = $derived(shown.find((one) => one.id === at) ?? shown[0]);
  let marked = $state<number[]>([]);
  let head = $state<WatchHead>();

  function toggle(system: number): void {
    marked = marked.includes(system) ? marked.filter((id) => id !== system) : [...marked, system];
  }

  function move(by: number): void {
    const now = chosen ? shown.indexOf(chosen) : 0;
    at = shown[Math.max(0, Math.min(shown.length - 1, now + by))]?.id;
    const lane = document.getElementById(`lane-${at}`);
    lane?.scrollIntoView({ block: 'nearest' });
  }

  /** Does what a key means here; false where it means nothing. */
  export function key(pressed: string): boolean {
    if (pressed === 'ArrowDown') move(1);
    else if (pressed === 'ArrowUp') move(-1);
    else if (pressed === 'f') head?.focus();
    else if (!chosen) return false;
    else if (pressed === 'Enter') onopen(chosen.id);
    else if (pressed === 'x') toggle(chosen.id);
    else if (pressed === 'b') onwork(marked.length ? marked : [chosen.id], 'backup');
    else if (pressed === 'l') onwork(marked.length ? marked : [chosen.id], 'look');
    else return false;
    return true;
  }
</script>

<WatchHead
  bind:this={head}
  shown={shown.length}
  all={systems.length}
  {typed}
  {order}
  {grouped}
  {lines}
  tagged={systems.some((one) => one.tags.length)}
  marked={marked.length}
  onwork={(kind) => onwork(marked, kind)}
  onmark={(all) => (marked = all ? shown.map((one) => one.id) : [])}
/>
{#each groups as { tag, systems: some } (tag)}
  {#if grouped}<h2 class="pt-2 pb-0.5 font-semibold">{tag || 'without a tag'}</h2>{/if}
  {#each some as system (system.id)}
    <div id="lane-{system.id}" class="grid grid-cols-[18px_minmax(0,1fr)] items-center">
      <input
        type="checkbox"
        class="accent-pick {marked.length ? '' : 'opacity-40 focus-visible:opacity-100'}"
        aria-label="Choose {system.name}"
        title="X"
        value={system.id}
        bind:group={marked}
      />
      {#if lines}
        <LaneLine {system} chosen={system === chosen} onchoose={() => (at = system.id)} />
      {:else}
        <Lane
          {system}
          chosen={system === chosen}
          asked={asked[system.id]}
          onchoose={() => (at = system.id)}
          onwork={(kind) => onwork([system.id], kind)}
          onseen={() => onseen(system.id)}
        />
      {/if}
    </div>
  {/each}
{/each}
{#if !shown.length}
  <p class="py-4 text-ink-2">No system has “{typed}” in its name, its kind or its tags.</p>
{/if}
