<script lang="ts">
  import { searchParams } from 'sv-router';
  import type { CompareHead, System } from '$lib/api/client';
  import type { Looked } from '$lib/api/comparing';
  import { count, meaning, STATES, type Sides } from '$lib/model/differences';
  import { setParameter } from '$lib/model/looked.svelte';
  import { plainName } from '$lib/model/paths';
  import { ago } from '$lib/model/time';
  import Ago from '$lib/parts/Ago.svelte';
  import Mark from '$lib/parts/Mark.svelte';
  import Timeline from '$lib/parts/Timeline.svelte';
  import Working from '$lib/parts/Working.svelte';

  interface Props {
    system: System;
    looked: Looked;
    head: CompareHead | undefined;
    sides: Sides;
    onlook: () => void;
    onrules: () => void;
  }
  let { system, looked, head, sides, onlook, onrules }: Props = $props();

  let width = $state(760);
  const chosen = $derived(new Set(looked.states?.split(',') ?? []));
  const newer = $derived(
    system.look && head?.right.kind === 'look' && system.look.id > looked.right,
  );
  const rightLabel = $derived(
    head?.right.kind === 'look'
      ? `live, ${ago(head.right.taken_at)}`
      : head
        ? `compared with ${ago(head.right.taken_at)}`
        : '',
  );

  function toggle(state: string): void {
    const next = chosen.has(state) ? [...chosen].filter((s) => s !== state) : [...chosen, state];
    setParameter('states', next.join(','));
  }

  // rules that are all off, for this look: what they hid is shown at once
  const NO_RULES = '{}';

  function left(id: number): void {
    searchParams.set('left', String(id));
  }

  function right(id: number | null): void {
    if (id === null) searchParams.delete('right');
    else searchParams.set('right', String(id));
  }
</script>

<div
  class="grid grid-cols-[190px_minmax(0,1fr)_300px] border-b max-[999px]:grid-cols-[150px_minmax(0,1fr)_220px] border-line bg-sheet"
>
  <div class="grid content-center border-r border-line px-4.5 max-[999px]:px-2.5">
    <h1 class="text-[17px] leading-tight font-bold tracking-tight">{system.name}</h1>
    <div class="flex flex-wrap gap-x-2 text-sm text-ink-2">
      {count(system.objects, 'object')}
      {#if system.baseline && system.baseline.id !== looked.left}
        {@const baseline = system.baseline.id}
        <button
          class="link"
          title="Compare with the good state that {system.name} is measured by"
          onclick={() => left(baseline)}>from the baseline</button
        >
      {/if}
    </div>
    <div class="text-sm text-ink-2">
      {#if system.work.length}
        <Working {system} />
      {:else if head && head.right.kind !== 'look'}
        <button class="link font-semibold text-pick" onclick={() => right(null)}
          >compare with live again</button
        >
      {:else if newer}
        <button class="link font-semibold text-pick" onclick={() => right(null)}
          >a newer look is here</button
        >
      {:else if system.look}
        seen <Ago at={system.look.taken_at} /> ·
        <button class="link" onclick={onlook}>again</button>
      {/if}
    </div>
  </div>
  <div bind:clientWidth={width} class="min-w-0 overflow-hidden pt-1.5">
    {#if head?.left.file}
      <p class="truncate px-3 text-sm">
        <b class="font-semibold">{head.left.file}</b>, opened from
        <a class="link" href="/files/{head.left.id}">Files</a>{looked.hangs
          ? `, put beneath ${(JSON.parse(looked.hangs) as string[]).map(plainName).join(' / ') || 'the root'}`
          : ''}
      </p>
    {/if}
    <Timeline
      backups={system.backups}
      {width}
      height={head?.left.file ? 62 : 82}
      left={looked.left}
      right={looked.right}
      {rightLabel}
      onleft={left}
      onright={right}
    />
  </div>
  <div class="grid content-center gap-x-3 border-l border-line px-3.5">
    <div class="grid grid-cols-2 gap-x-3">
      {#each STATES.filter((s) => head?.tally[s] || chosen.has(s)) as state (state)}
        <button
          class="flex items-center gap-1.5 rounded px-1 py-px text-left hover:bg-sunk {chosen.size &&
          !chosen.has(state)
            ? 'opacity-50'
            : ''}"
          aria-pressed={chosen.has(state)}
          title="{meaning(state, sides)}; click to show only these"
          onclick={() => toggle(state)}
        >
          <Mark {state} />{state}<b class="ml-auto font-mono font-semibold"
            >{(head?.tally[state] ?? 0).toLocaleString('en')}</b
          >
        </button>
      {/each}
    </div>
    {#if head}
      <div class="px-1 text-sm text-ink-2">
        {head.same.toLocaleString('en')} the same ·
        {#if looked.rules === NO_RULES}
          rules are off ·
          <button class="link" onclick={() => setParameter('rules', undefined)}>on again</button>
        {:else if head.hidden}
          <b class="font-semibold text-ink">{head.hidden.toLocaleString('en')}</b> hidden by
          <button class="link" title="R" onclick={onrules}>rules</button> ·
          <button class="link" onclick={() => setParameter('rules', NO_RULES)}>show</button>
        {:else}
          nothing hidden by <button class="link" title="R" onclick={onrules}>rules</button>
        {/if}
        {#if head.not_kept}
          · <span title="One side left these out by choice, so nothing is said of them"
            >{head.not_kept.toLocaleString('en')} not kept</span
          >
        {/if}
      </div>
    {/if}
  </div>
</div>
