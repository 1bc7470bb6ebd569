<script lang="ts">
  import type { Item } from '$lib/api/client';
  import { putAside } from '$lib/api/practice';

  /** One thing that wants attention; it can be put aside for a time or until it changes. */
  let { item }: { item: Item } = $props();

  const BORDERS: Record<string, string> = {
    stop: 'border-stop',
    unknown: 'border-ink-3 border-dashed',
    confirm: 'border-confirm',
    note: 'border-line-strong',
  };
  const TIMES: [string, number | null][] = [
    ['a day', 24],
    ['a week', 168],
    ['until it changes', null],
  ];
  let open = $state(false);
  let why = $state('');
  let error = $state('');

  async function put(hours: number | null): Promise<void> {
    error = '';
    try {
      await putAside(item, why, hours);
    } catch (problem) {
      error = (problem as Error).message;
    }
  }
</script>

<div class="group relative my-2.5 border-l-3 pl-2.5 {BORDERS[item.level]}">
  <a href={item.place} class="block py-0.5 hover:bg-sunk">
    <b class="font-semibold">{item.title}</b>
    <span class="block text-ink-2">{item.text}</span>
    {#each item.paths.slice(0, 2) as path (path)}
      <span class="block truncate font-mono text-xs text-ink-3" title={path}>{path}</span>
    {/each}
  </a>
  {#if open}
    <form class="mt-1 grid gap-1 text-sm" onsubmit={(event) => event.preventDefault()}>
      <input
        class="field w-full"
        placeholder="why, for the others"
        aria-label="Why"
        maxlength="400"
        bind:value={why}
      />
      <span class="flex flex-wrap gap-x-2.5">
        {#each TIMES as [words, hours] (words)}
          <button type="button" class="link" onclick={() => put(hours)}>{words}</button>
        {/each}
        <button type="button" class="link ml-auto" onclick={() => (open = false)}>back</button>
      </span>
      {#if error}<span class="text-stop" role="alert">{error}</span>{/if}
    </form>
  {:else}
    <button
      class="link absolute right-0 bottom-0 bg-sheet px-1 text-xs opacity-0 group-hover:opacity-100 focus-visible:opacity-100"
      onclick={() => (open = true)}>put aside…</button
    >
  {/if}
</div>
