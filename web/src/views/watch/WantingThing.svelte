<script lang="ts">
  import type { Item, Ranked, System, Thing } from '$lib/api/client';
  import { saveWatched } from '$lib/api/queries';
  import { count } from '$lib/model/differences';
  import { plainName } from '$lib/model/paths';
  import { pickThing } from '$lib/model/thing';
  import { lasting } from '$lib/model/time';
  import Mark from '$lib/parts/Mark.svelte';
  import AsideForm from './AsideForm.svelte';

  /** One object that differs: what it was and is, since when, and what can be done about it. */
  interface Props {
    ranked: Ranked & { thing: Thing };
    system: System | undefined;
  }
  let { ranked, system }: Props = $props();

  const URGENT = 3;
  const MINOR = 0;
  const thing = $derived(ranked.thing);
  const item: Item = $derived(ranked.item);
  const within = $derived(thing.path.slice(0, -1).map(plainName).join(' / '));
  const says = $derived(
    thing.was !== null && thing.now !== null
      ? ''
      : thing.state === 'changed'
        ? thing.label || count(thing.parts, 'attribute')
        : thing.holds
          ? `${thing.state}, with ${count(thing.holds, 'object')} in it`
          : thing.state,
  );
  const place = $derived(
    `/sort/${item.system}?at=${encodeURIComponent(JSON.stringify(thing.path))}`,
  );
  /** What a pattern of it is: of the attribute in its kind, or of all such objects. */
  const pattern = $derived(`${thing.kind}:${thing.attribute || '*'}`);
  let open = $state(false);
  let told = $state('');

  async function pick(): Promise<void> {
    try {
      told = await pickThing(ranked);
    } catch (problem) {
      told = (problem as Error).message;
    }
  }

  async function matters(how: 'urgent' | 'minor'): Promise<void> {
    if (!system) return;
    const without = (list: string[]): string[] => list.filter((one) => one !== pattern);
    const { tags, urgent, minor } = system;
    const lists = { urgent: without(urgent), minor: without(minor) };
    lists[how] = [...lists[how], pattern];
    try {
      await saveWatched(system.id, { tags, ...lists });
    } catch (problem) {
      told = (problem as Error).message;
    }
  }
</script>

<div
  class="group relative my-1.5 border-l-3 pl-2.5 {thing.urgency === URGENT
    ? 'border-stop'
    : thing.urgency === MINOR
      ? 'border-line'
      : 'border-line-strong'}"
  data-thing={thing.written}
>
  <a href={place} class="block py-0.5 hover:bg-sunk" title={thing.written}>
    <span class="flex items-baseline gap-1.5">
      <span class="self-center"><Mark state={thing.state} size={12} /></span>
      <b class="min-w-0 truncate {thing.urgency === MINOR ? 'font-normal' : 'font-semibold'}"
        >{plainName(thing.name)}</b
      >
      <span class="min-w-0 flex-1 truncate text-xs text-ink-3"
        >{[item.system_name, within].filter(Boolean).join(' / ')}</span
      >
    </span>
    <span class="flex items-baseline gap-1.5 text-sm">
      {#if thing.was !== null && thing.now !== null}
        <span class="shrink-0 text-ink-2">{thing.label}</span>
        <span class="min-w-0 truncate font-mono">{thing.was || '(empty)'}</span>
        <span class="text-ink-3" aria-label="became">›</span>
        <span class="min-w-0 truncate font-mono font-semibold">{thing.now || '(empty)'}</span>
      {:else}
        <span class="text-ink-2">{says}</span>
      {/if}
      {#if thing.count > 1}<b class="shrink-0 font-semibold">in {thing.count}</b>{/if}
      <span class="ml-auto shrink-0 text-xs text-ink-3"
        >{ranked.since ? lasting(ranked.since) : ''}</span
      >
    </span>
  </a>
  {#if open}
    <AsideForm {item} acceptable={true} onclose={() => (open = false)} />
    <span class="flex gap-2.5 text-sm">
      <span class="text-ink-2">Such a difference is always</span>
      <button class="link" onclick={() => matters('urgent')}>urgent</button>
      <button class="link" onclick={() => matters('minor')}>minor</button>
    </span>
  {:else}
    <span
      class="absolute top-0.5 right-0 flex gap-2 bg-sheet px-1 text-xs opacity-0 group-focus-within:opacity-100 group-hover:opacity-100"
    >
      <button class="link" onclick={pick}>pick</button>
      <button class="link" onclick={() => (open = true)}>put aside…</button>
    </span>
  {/if}
  {#if told}<span class="text-sm font-semibold text-pick" role="status">{told}</span>{/if}
</div>
