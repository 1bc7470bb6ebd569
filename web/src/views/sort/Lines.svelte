<script lang="ts">
  import type { Stretch } from '$lib/api/client';
  import { askLines, type Looked } from '$lib/api/comparing';
  import { count } from '$lib/model/differences';
  import type { Path } from '$lib/model/paths';
  import Pieces from '$lib/parts/Pieces.svelte';

  /** One side of a differing stretch, with the words marked that differ. */
  interface Props {
    stretch: Stretch;
    side: 'left' | 'right';
    where: { looked: Looked; path: Path; attribute: string };
    isText: boolean;
    moves: Map<number, number>;
    was?: boolean;
  }
  let { stretch, side, where, isText, moves, was = false }: Props = $props();

  let more = $state<string[]>([]);
  const start = $derived(side === 'left' ? stretch.left_start : stretch.right_start);
  const size = $derived(side === 'left' ? stretch.left_size : stretch.right_size);
  const lines = $derived([...stretch[side], ...more.map((line) => ['', line])]);
  const rest = $derived(size - lines.length);

  async function fetchMore(): Promise<void> {
    const { looked, path, attribute } = where;
    const from = start + lines.length;
    const asked = { path, attribute, side, start: from, count: Math.min(rest, 500) };
    more = [...more, ...(await askLines(looked, asked))];
  }

  function moved(at: number): string {
    const other = moves.get(at);
    if (other === undefined) return '';
    return side === 'left' ? `stands live as number ${other + 1}` : `was number ${other + 1}`;
  }
</script>

<div class="min-w-0 border-l-2 pl-1.5 {side === 'left' ? 'border-missing' : 'border-extra'}">
  {#each lines as pieces, k (k)}
    {@const note = moved(start + k)}
    <div class="break-words whitespace-pre-wrap">
      <span class={was ? 'goes' : ''}>
        {#if !isText}<span class="mr-1.5 text-ink-3">{start + k + 1}</span>{/if}<Pieces
          {pieces}
          {side}
          quiet={was}
        />{#if lines[k]!.join('') === ''}&nbsp;{/if}{#if note}<span
            class="ml-2 font-sans text-xs text-moved">{note}</span
          >{/if}</span
      >
    </div>
  {/each}
  {#if rest > 0}
    <button class="link font-sans text-xs" onclick={fetchMore}>{count(rest, 'more line')}</button>
  {/if}
</div>
