<script lang="ts">
  import { createVirtualizer } from '@tanstack/svelte-virtual';
  import { tick, untrack } from 'svelte';
  import type { CompareHead, Row, System } from '$lib/api/client';
  import type { Looked } from '$lib/api/comparing';
  import { differingBeneath, isPickable, isQuiet } from '$lib/model/differences';
  import { keyOf, samePath, type Path } from '$lib/model/paths';
  import type { Picks } from '$lib/model/picks.svelte';
  import type { Line, Tree } from '$lib/model/tree.svelte';
  import TreeHead from './TreeHead.svelte';
  import TreeRow from './TreeRow.svelte';

  interface Props {
    tree: Tree;
    picks: Picks;
    path: Path | undefined;
    live: boolean;
    only: 'differences' | 'all';
    system: System;
    head: CompareHead | undefined;
    looked: Looked;
    filtering: boolean;
    onchoose: (path: Path) => void;
    onenter: () => void;
  }
  let {
    tree,
    picks,
    path,
    live,
    only,
    system,
    head,
    looked,
    filtering = $bindable(),
    onchoose,
    onenter,
  }: Props = $props();

  const HEIGHT = 25;
  let scroller = $state<HTMLElement>();
  let focused = $state(0);
  let width = $state(0);
  const virtual = createVirtualizer<HTMLElement, HTMLElement>({
    count: 0,
    getScrollElement: () => scroller ?? null,
    estimateSize: () => HEIGHT,
    overscan: 12,
  });

  $effect(() => {
    const options = { count: tree.count, getScrollElement: () => scroller ?? null };
    untrack(() => $virtual.setOptions(options));
  });

  const isRow = (line: Line | undefined): line is { row: Row; open: boolean } =>
    line !== undefined && 'row' in line;

  // The row that is shown on the bench is also where the keyboard is, and is brought into sight
  // where it has come or moved; what else comes in takes nobody back from where they scrolled to.
  let seen = '';
  $effect(() => {
    if (path === undefined) return;
    const at = tree.indexOf(path);
    const place = `${at} ${keyOf(path)}`;
    if (at >= 0 && at < tree.count && place !== seen) {
      seen = place;
      focused = at;
      // the tree may just have got its lines, and has no height to scroll through before they are drawn
      void tick().then(() => $virtual.scrollToIndex(at, { align: 'auto' }));
    }
  });

  // Rows that come into sight and are not here yet are fetched.
  $effect(() => {
    for (const item of $virtual.getVirtualItems()) {
      const line = tree.line(item.index);
      if (line && !isRow(line)) void tree.fetchLine(line);
    }
  });

  // who arrives can go through the tree at once
  $effect(() => {
    if (!document.activeElement?.closest('[role=dialog]')) focus();
  });

  export function focus(): void {
    scroller?.focus({ preventScroll: true });
  }

  function move(to: number): void {
    focused = Math.max(0, Math.min(tree.count - 1, to));
    $virtual.scrollToIndex(focused, { align: 'auto' });
    const line = tree.line(focused);
    if (isRow(line)) onchoose(line.row.path);
  }

  function toggle(row: Row): void {
    if (tree.isOpen(row.path)) tree.hide(row.path);
    else void tree.show(row.path);
  }

  function pick(row: Row): void {
    if (!isPickable(row)) return;
    picks.toggleRow(row.path, row.state, isQuiet(row.state) || differingBeneath(row) > 0);
  }

  function keyed(event: KeyboardEvent): void {
    const line = tree.line(focused);
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    const row = isRow(line) ? line.row : undefined;
    const page = Math.floor((scroller?.clientHeight ?? 500) / HEIGHT) - 1;
    if (event.key === 'ArrowDown') move(focused + 1);
    else if (event.key === 'ArrowUp') move(focused - 1);
    else if (event.key === 'PageDown') move(focused + page);
    else if (event.key === 'PageUp') move(focused - page);
    else if (event.key === 'Home') move(0);
    else if (event.key === 'End') move(tree.count - 1);
    else if (event.key === 'Enter') {
      // while the tree is still opened to what is on the bench, the row is not the one meant
      if (row && (path === undefined || tree.indexOf(path) >= 0)) onchoose(row.path);
      onenter();
    } else if (event.key === ' ' && row && live) pick(row);
    else if (event.key === 'ArrowRight' && row?.children) void tree.show(row.path);
    else if (event.key === 'ArrowLeft' && row) {
      if (tree.isOpen(row.path)) tree.hide(row.path);
      else move(tree.indexOf(row.path.slice(0, -1)));
    } else return;
    event.preventDefault();
    event.stopPropagation();
  }
</script>

<section class="grid min-h-0 grid-rows-[auto_minmax(0,1fr)] border-r border-line">
  <TreeHead {system} {head} {looked} {picks} {live} {only} bind:filtering />
  <div
    bind:this={scroller}
    bind:clientWidth={width}
    class="overflow-auto outline-offset-[-2px] focus-visible:outline-1 focus-visible:outline-pick-line"
    role="tree"
    aria-label="Objects"
    tabindex="0"
    onkeydown={keyed}
    aria-activedescendant="row-{focused}"
  >
    <div class="relative w-full" style:height="{$virtual.getTotalSize()}px">
      {#each $virtual.getVirtualItems() as item (item.index)}
        {@const line = tree.line(item.index)}
        <div
          class="absolute inset-x-0 top-0"
          style:height="{HEIGHT}px"
          style:transform="translateY({item.start}px)"
        >
          {#if isRow(line)}
            <TreeRow
              id="row-{item.index}"
              row={line.row}
              open={line.open}
              chosen={path !== undefined && samePath(line.row.path, path)}
              {live}
              picked={picks.stateOf(line.row.path, line.row.state)}
              room={Math.floor((width - 70) / 7)}
              ontoggle={() => toggle(line.row)}
              onchoose={() => onchoose(line.row.path)}
              onpick={() => pick(line.row)}
            />
          {:else if line}
            <div
              class="text-ink-3"
              style:padding-left="{line.depth * 14 + 40}px"
              data-key={keyOf(line.path)}
            >
              …
            </div>
          {/if}
        </div>
      {/each}
    </div>
  </div>
</section>
