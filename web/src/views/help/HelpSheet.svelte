<script lang="ts">
  import Sheet from '$lib/parts/Sheet.svelte';
  import { guide, pageOf, PAGES } from './guide';

  /** Help for the screen one is on, and from there for all others. */
  let { open = $bindable(false), pathname }: { open: boolean; pathname: string } = $props();

  let chosen = $state<string>();
  const page = $derived(chosen ?? pageOf(pathname));
  const shown = $derived(open ? guide(page) : undefined);

  $effect(() => {
    // whoever opens it anew is helped with the screen that is there then
    if (!open) chosen = undefined;
  });

  /** A link to another page of the guide opens it here. */
  function follow(event: MouseEvent): void {
    const link = (event.target as HTMLElement).closest('a');
    const name = /^([a-z]+)\.md$/.exec(link?.getAttribute('href') ?? '')?.[1];
    if (!name) return;
    event.preventDefault();
    chosen = name;
  }
</script>

<Sheet bind:open title="Help" width={860}>
  <div class="grid grid-cols-[130px_minmax(0,1fr)] gap-x-6">
    <nav aria-label="Pages of the help" class="text-sm">
      {#each PAGES as [name, label] (name)}
        <button
          class="block w-full border-l-3 py-1 pl-2.5 text-left {name === page
            ? 'border-ink font-semibold'
            : 'border-transparent text-ink-2 hover:text-ink'}"
          aria-current={name === page ? 'page' : undefined}
          onclick={() => (chosen = name)}>{label}</button
        >
      {/each}
    </nav>
    <!-- svelte-ignore a11y_click_events_have_key_events, a11y_no_static_element_interactions -->
    <div class="guide min-h-96 min-w-0" onclick={follow}>
      {#await shown}
        <p class="text-ink-2">Opening…</p>
      {:then html}
        <!-- our own pages, which are part of the application: nothing in them comes from outside -->
        <!-- eslint-disable-next-line svelte/no-at-html-tags -->
        {@html html}
      {/await}
    </div>
  </div>
</Sheet>

<style>
  .guide :global(h1) {
    font-size: 18px;
    font-weight: 600;
  }
  .guide :global(h2) {
    margin: 14px 0 4px;
    font-weight: 600;
    border-bottom: 1px solid var(--line-strong);
  }
  .guide :global(p) {
    margin: 6px 0;
    max-width: 68ch;
  }
  .guide :global(li) {
    margin: 3px 0;
  }
  .guide :global(td) {
    padding: 2px 14px 2px 0;
    vertical-align: top;
  }
  .guide :global(td:first-child) {
    white-space: nowrap;
  }
  .guide :global(th) {
    display: none;
  }
  .guide :global(a) {
    text-decoration: underline dotted;
  }
</style>
