<script lang="ts">
  import type { Stretch } from '$lib/api/client';
  import { askLines, type Looked } from '$lib/api/comparing';
  import { count } from '$lib/model/differences';
  import type { Path } from '$lib/model/paths';

  /** Lines that are equal on both sides; a long run is folded, and unfolds a part at a time. */
  interface Props {
    stretch: Stretch;
    where: { looked: Looked; path: Path; attribute: string };
    isText: boolean;
  }
  let { stretch, where, isText }: Props = $props();

  const PART = 200;
  let unfolded = $state<string[]>([]);
  const head = $derived(stretch.folded ? stretch.left.slice(0, 2) : stretch.left);
  const tail = $derived(stretch.folded ? stretch.left.slice(2) : []);
  const rest = $derived(stretch.folded - unfolded.length);

  async function unfold(): Promise<void> {
    const { looked, path, attribute } = where;
    const start = stretch.left_start + head.length + unfolded.length;
    const asked = { path, attribute, side: 'left' as const, start, count: Math.min(rest, PART) };
    unfolded = [...unfolded, ...(await askLines(looked, asked))];
  }
</script>

{#snippet line(text: string, number: number)}
  <div class="break-words whitespace-pre-wrap">
    {#if !isText}<span class="mr-1.5 text-ink-3">{number + 1}</span>{/if}{text || ' '}
  </div>
{/snippet}

<div class="min-w-0 pl-2 text-ink-2">
  {#each head as pieces, k (k)}{@render line(pieces.join(''), stretch.left_start + k)}{/each}
  {#each unfolded as text, k (k)}
    {@render line(text, stretch.left_start + head.length + k)}
  {/each}
  {#if rest > 0}
    <button class="link font-sans text-xs" onclick={unfold}
      >show {count(Math.min(rest, PART), 'equal line')}{rest > PART
        ? ` of ${rest.toLocaleString('en')}`
        : ''}</button
    >
  {/if}
  {#each tail as pieces, k (k)}
    {@render line(pieces.join(''), stretch.left_start + stretch.left_size - tail.length + k)}
  {/each}
</div>
