<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { attention, systems } from '$lib/api/queries';
  import type { Ranked, Thing } from '$lib/api/client';
  import Ago from '$lib/parts/Ago.svelte';
  import AsideItem from './AsideItem.svelte';
  import WantingItem from './WantingItem.svelte';
  import WantingThing from './WantingThing.svelte';

  /** What wants attention: as long as that is not known, nothing is said to be well. */
  const all = createQuery(attention);
  const wanting = $derived(all.data?.filter((one) => !one.item.aside) ?? []);
  const aside = $derived(all.data?.filter((one) => one.item.aside) ?? []);
  const known = createQuery(systems);
  const isThing = (one: Ranked): one is Ranked & { thing: Thing } => one.thing !== null;
  const keyOf = ({ item }: Ranked): string => `${item.system} ${item.code} ${item.stands}`;
  let shown = $state(false);
</script>

<aside class="overflow-auto border-l border-line bg-sheet px-4 py-3" aria-label="Wants attention">
  <h2 class="font-semibold">Wants attention</h2>
  {#if all.error}
    <p role="alert" class="mt-2 border-l-3 border-stop pl-2.5">
      <b class="font-semibold">What wants attention is not known.</b>
      {all.error.message}
      {#if all.data}
        Below is what it was <Ago at={new Date(all.dataUpdatedAt).toISOString()} />.
      {/if}
    </p>
  {:else if !all.data}
    <p class="mt-2 text-ink-2" role="status">Working it out… nothing is known yet.</p>
  {/if}
  {#each wanting as one (keyOf(one))}
    {#if isThing(one)}
      <WantingThing ranked={one} system={known.data?.find((s) => s.id === one.item.system)} />
    {:else}
      <WantingItem item={one.item} />
    {/if}
  {:else}
    {#if all.data && !all.error}
      <p class="mt-2 text-ink-2">
        {aside.length ? 'Nothing else.' : 'Nothing.'} Every other system was as it was kept when it was
        looked at, which was within a day, and the backups are fresh.
      </p>
    {/if}
  {/each}
  {#if aside.length}
    <button class="link mt-2 text-sm" aria-expanded={shown} onclick={() => (shown = !shown)}
      >{aside.length} put aside</button
    >
    {#if shown}
      {#each aside as one (keyOf(one))}
        <AsideItem item={one.item} />
      {/each}
    {/if}
  {/if}
</aside>
