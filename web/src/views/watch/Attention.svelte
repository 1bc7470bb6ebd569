<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { attention } from '$lib/api/queries';
  import Ago from '$lib/parts/Ago.svelte';

  /** What wants attention: as long as that is not known, nothing is said to be well. */
  const all = createQuery(attention);

  const BORDERS: Record<string, string> = {
    stop: 'border-stop',
    unknown: 'border-ink-3 border-dashed',
    confirm: 'border-confirm',
    note: 'border-line-strong',
  };
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
  {#each all.data ?? [] as item (`${item.title} ${item.place}`)}
    <a
      href={item.place}
      class="my-2.5 block border-l-3 py-0.5 pl-2.5 hover:bg-sunk {BORDERS[item.level]}"
    >
      <b class="font-semibold">{item.title}</b>
      <span class="block text-ink-2">{item.text}</span>
    </a>
  {:else}
    {#if all.data && !all.error}
      <p class="mt-2 text-ink-2">
        Nothing. Every system was as it was kept when it was looked at, which was within a day, and
        the backups are fresh.
      </p>
    {/if}
  {/each}
</aside>
