<script lang="ts">
  import type { Item } from '$lib/api/client';
  import AsideForm from './AsideForm.svelte';

  /** One thing that wants attention; it can be put aside for a time or until it changes. */
  let { item }: { item: Item } = $props();

  const BORDERS: Record<string, string> = {
    stop: 'border-stop',
    unknown: 'border-ink-3 border-dashed',
    confirm: 'border-confirm',
    note: 'border-line-strong',
  };
  let open = $state(false);
</script>

<div class="group relative my-2 border-l-3 pl-2.5 {BORDERS[item.level]}">
  <a href={item.place} class="block py-0.5 hover:bg-sunk">
    <b class="font-semibold">{item.title}</b>
    <span class="block text-ink-2">{item.text}</span>
    {#each item.paths.slice(0, 2) as path (path)}
      <span class="block truncate font-mono text-xs text-ink-3" title={path}>{path}</span>
    {/each}
  </a>
  {#if open}
    <AsideForm {item} acceptable={false} onclose={() => (open = false)} />
  {:else}
    <button
      class="link absolute right-0 bottom-0 bg-sheet px-1 text-xs opacity-0 group-hover:opacity-100 focus-visible:opacity-100"
      onclick={() => (open = true)}>put aside…</button
    >
  {/if}
</div>
