<script lang="ts">
  import { onMount } from 'svelte';
  import type { Attribute, Bench, Stretch } from '$lib/api/client';
  import type { Looked } from '$lib/api/comparing';
  import { count, shortName, type Sides } from '$lib/model/differences';
  import { along } from '$lib/model/hunks';
  import { takesKeys } from '$lib/model/keys';
  import { plainName } from '$lib/model/paths';
  import type { Picks } from '$lib/model/picks.svelte';
  import WholeEqual from './WholeEqual.svelte';
  import WholeHunk from './WholeHunk.svelte';

  /** A text of an object over the whole width: equal lines once, hunks side by side, to be picked. */
  interface Props {
    bench: Bench;
    attribute: Attribute;
    looked: Looked;
    picks: Picks;
    live: boolean;
    sides: Sides;
    onclose: () => void;
  }
  let { bench, attribute, looked, picks, live, sides, onclose }: Props = $props();

  const WRAPS = 'wrap long lines';
  let wraps = $state(localStorage.getItem(WRAPS) !== 'no');
  let body = $state<HTMLElement>();
  const pickable = $derived(live && bench.left_exists && bench.right_exists);
  const hunks = $derived(attribute.stretches.filter((s) => s.state !== 'same'));
  const where = $derived({ looked, path: bench.path, attribute: attribute.name });
  const differing = $derived(bench.attributes.filter((a) => a.state !== 'same').map((a) => a.name));
  const picked = $derived(
    pickable ? hunks.filter((s) => picks.partPicked(bench.path, attribute.name, s.part)).length : 0,
  );

  onMount(() => body?.focus());

  // What can be picked may come in late: who stands at a hunk by then stands at its pick.
  $effect(() => {
    const stands = pickable && document.activeElement;
    if (stands && stands.matches('[data-hunk]')) focusPick(stands);
  });

  function focusPick(hunk: Element): void {
    const pick = hunk.querySelector<HTMLElement>('[role=switch]') ?? (hunk as HTMLElement);
    pick.focus({ preventScroll: true });
  }

  /** What a stretch is known by: what was fetched of one is never shown in another. */
  const placeOf = ({ state, part, left_start, right_start }: Stretch): string =>
    [state, part, left_start, right_start].join(' ');

  function toggle(part: string): void {
    const { name, parts } = attribute;
    picks.togglePart(bench.path, name, part, parts, differing, along(attribute, part));
  }

  /** Goes to the next hunk or the one before, from the one at the top of what is in sight. */
  function step(by: 1 | -1): void {
    const all = [...(body?.querySelectorAll<HTMLElement>('[data-hunk]') ?? [])];
    const focused = all.findIndex((one) => one.contains(document.activeElement));
    const top = body?.getBoundingClientRect().top ?? 0;
    const inSight = all.findIndex((one) => one.getBoundingClientRect().bottom > top + 8);
    const to = focused >= 0 ? focused + by : by > 0 ? inSight : inSight - 1;
    const found = all[Math.max(0, Math.min(all.length - 1, to))];
    found?.scrollIntoView({ block: 'center' });
    if (found) focusPick(found);
  }

  function keyed(event: KeyboardEvent): void {
    if (takesKeys(event.target) || event.ctrlKey || event.metaKey || event.altKey) return;
    const key = event.key.toLowerCase();
    if (key === 'escape') onclose();
    else if (key === ']' || key === '[') step(key === ']' ? 1 : -1);
    else if (key === 'w' && event.shiftKey) wrap();
    else if (key === 'w') onclose();
    else return;
    event.preventDefault();
    event.stopImmediatePropagation();
  }

  function wrap(): void {
    wraps = !wraps;
    localStorage.setItem(WRAPS, wraps ? 'yes' : 'no');
  }
</script>

<svelte:window onkeydowncapture={keyed} />
<section
  class="z-10 col-start-1 row-start-2 grid min-h-0 grid-rows-[auto_minmax(0,1fr)] bg-sheet"
  aria-label="{attribute.label} of {plainName(bench.name)}"
>
  <header class="border-b border-line-strong px-5 pt-2.5">
    <div class="flex flex-wrap items-baseline gap-x-4">
      <h2 class="text-lg font-semibold">{attribute.label} of {plainName(bench.name)}</h2>
      <span class="font-mono text-xs break-all text-ink-3">{bench.written}</span>
      <span class="ml-auto flex gap-3 text-sm">
        <span class="text-ink-2"
          >{count(attribute.parts.length, 'hunk')}{picked ? `, ${picked} picked` : ''}</span
        >
        <button class="link" title="[" onclick={() => step(-1)}>previous</button>
        <button class="link" title="]" onclick={() => step(1)}>next hunk</button>
        <button class="link" aria-pressed={wraps} title="Shift W" onclick={wrap}
          >{wraps ? 'do not wrap' : 'wrap'} long lines</button
        >
        <button class="link" title="Esc" onclick={onclose}>back to the bench</button>
      </span>
    </div>
    <div class="mt-1 grid grid-cols-[minmax(0,1fr)_72px_minmax(0,1fr)] gap-x-1.5 pb-1 text-sm">
      <b class="pl-14 font-semibold text-missing">{sides.left}</b>
      <span></span>
      <b class="pl-14 font-semibold text-extra"
        >{live ? 'live' : sides.right}{picked ? ', as it will be' : ''}</b
      >
    </div>
  </header>
  <div
    bind:this={body}
    class="overflow-auto px-5 py-2 font-mono text-sm outline-none"
    tabindex="-1"
    role="group"
    aria-label="The text on both sides"
  >
    {#each attribute.stretches as stretch (placeOf(stretch))}
      {#if stretch.state === 'same'}
        <WholeEqual {stretch} {where} {wraps} />
      {:else}
        <div data-hunk tabindex="-1">
          <WholeHunk
            {stretch}
            {where}
            {wraps}
            {pickable}
            picked={pickable && picks.partPicked(bench.path, attribute.name, stretch.part)
              ? 'all'
              : 'none'}
            label="Put back hunk {stretch.number} of {attribute.label}"
            told="{hunks.indexOf(stretch) + 1} of {attribute.parts.length}{stretch.hidden
              ? ', ignored'
              : ''}"
            onput={() => toggle(stretch.part)}
          />
        </div>
      {/if}
    {/each}
    {#if attribute.more_stretches}
      <p class="py-2 font-sans text-ink-2">
        {attribute.more_stretches.toLocaleString('en')} more hunks are not shown. Picking the attribute
        on the bench puts all of them back from the {shortName(sides.left)}.
      </p>
    {/if}
  </div>
</section>
