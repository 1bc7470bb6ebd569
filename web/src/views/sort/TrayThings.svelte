<script lang="ts">
  import type { System } from '$lib/api/client';
  import type { Policy } from '$lib/api/queries';
  import { POLICIES, policyForEach } from '$lib/model/choices';
  import { count } from '$lib/model/differences';
  import { placeOf, plainName, type Path } from '$lib/model/paths';
  import type { LeftOut, PickedThing, Picks } from '$lib/model/picks.svelte';
  import { ago } from '$lib/model/time';
  import { trayed } from '$lib/model/trayed';

  /** What is in the tray; the same attributes of many objects are one line that opens. */
  interface Props {
    system: System;
    picks: Picks;
    /** The backup that is looked at: where a pick comes from is told of others only. */
    left: number;
    onchoose: (path: Path, backup?: number) => void;
  }
  let { system, picks, left, onchoose }: Props = $props();

  const groups = $derived(trayed(picks.things));
  let opened = $state<string[]>([]);

  const name = (path: Path): string => (path.length ? plainName(path.at(-1)!) : 'everything');

  function but(without: LeftOut[]): string {
    if (!without.length) return '';
    const names = without.slice(0, 2).map((out) => name(out.path));
    const more = without.length - names.length;
    return `, but ${names.join(', ')}${more ? ` and ${more} more` : ''}`;
  }

  function told(thing: PickedThing): string {
    if (thing.scope === 'remove') return 'will be taken away from live';
    if (thing.scope === 'branch')
      return `all that is missing, moved or changed in it${but(thing.without)}`;
    if (thing.scope === 'object') return 'the whole object';
    return thing.attributes
      .map((a) => (a.parts.length ? `${a.name}, ${count(a.parts.length, 'part')}` : a.name))
      .join('; ');
  }

  /** From which backup a pick comes, where that is not the one looked at. */
  function from(thing: PickedThing): string {
    if (thing.backup === left) return '';
    const record = system.backups.find((b) => b.id === thing.backup);
    return record ? `from the backup of ${ago(record.taken_at)}` : `from backup ${thing.backup}`;
  }

  function toggle(key: string): void {
    opened = opened.includes(key) ? opened.filter((k) => k !== key) : [...opened, key];
  }
</script>

{#snippet line(thing: PickedThing, within: boolean)}
  <li
    class="grid grid-cols-[minmax(0,1fr)_14px] gap-1.5 border-b border-line py-1.5 {within
      ? 'pl-3'
      : ''}"
  >
    <button
      class="min-w-0 text-left"
      title={thing.path.map(plainName).join(' / ')}
      onclick={() => onchoose(thing.path, thing.backup)}
    >
      <span class="block truncate"
        >{name(thing.path)}{#if thing.path.length > 1}
          <span class="ml-1 text-xs text-ink-3">{placeOf(thing.path)}</span>{/if}</span
      >
      {#if !within}
        <small class="block text-xs {thing.scope === 'remove' ? 'text-stop' : 'text-ink-2'}"
          >{told(thing)}</small
        >
        {#if from(thing)}<small class="block text-xs font-semibold text-pick">{from(thing)}</small
          >{/if}
      {/if}
    </button>
    <button
      class="text-ink-3 hover:text-ink"
      aria-label="Let {name(thing.path)} go"
      onclick={() => picks.drop(thing)}>×</button
    >
    {#if (policyForEach() || thing.policy) && (thing.scope === 'object' || thing.scope === 'branch')}
      <select
        class="field min-w-0 py-0 text-xs"
        aria-label="Where {name(thing.path)} is there already"
        value={thing.policy ?? ''}
        onchange={(event) =>
          picks.setPolicy(thing, (event.currentTarget.value || undefined) as Policy | undefined)}
      >
        <option value="">as for all</option>
        {#each POLICIES as [policy, words] (policy)}<option value={policy}>{words}</option>{/each}
      </select>
    {/if}
  </li>
{/snippet}

<ul>
  {#each groups as { key, things } (key)}
    {#if things.length === 1}
      {@render line(things[0]!, false)}
    {:else}
      {@const open = opened.includes(key)}
      <li class="border-b border-line">
        <div class="grid grid-cols-[minmax(0,1fr)_14px] gap-1.5 py-1.5">
          <button class="min-w-0 text-left" aria-expanded={open} onclick={() => toggle(key)}>
            <span class="block truncate"
              ><span aria-hidden="true" class="text-ink-2">{open ? '▾' : '▸'}</span>
              {told(things[0]!)}</span
            >
            <small class="block text-xs text-ink-2">in {count(things.length, 'object')}</small>
            {#if from(things[0]!)}<small class="block text-xs font-semibold text-pick"
                >{from(things[0]!)}</small
              >{/if}
          </button>
          <button
            class="text-ink-3 hover:text-ink"
            aria-label="Let {told(things[0]!)} in all {things.length} go"
            onclick={() => picks.dropAll(things)}>×</button
          >
        </div>
        {#if open}
          <ul>
            {#each things as thing (thing)}{@render line(thing, true)}{/each}
          </ul>
        {/if}
      </li>
    {/if}
  {/each}
</ul>
