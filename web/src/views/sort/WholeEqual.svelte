<script lang="ts">
  import type { Stretch } from '$lib/api/client';
  import { askLines, type Looked } from '$lib/api/comparing';
  import { count } from '$lib/model/differences';
  import type { Path } from '$lib/model/paths';

  /** Lines that are equal on both sides, shown once, with the numbers they have on both. */
  interface Props {
    stretch: Stretch;
    where: { looked: Looked; path: Path; attribute: string };
    wraps: boolean;
  }
  let { stretch, where, wraps }: Props = $props();

  /** So many are shown without being asked for; more of them come a part at a time. */
  const AT_ONCE = 120;
  const PART = 1000;
  let unfolded = $state<string[]>([]);
  let asking = $state(false);
  const head = $derived(stretch.folded ? stretch.left.slice(0, 2) : stretch.left);
  const tail = $derived(stretch.folded ? stretch.left.slice(2) : []);
  const rest = $derived(stretch.folded - unfolded.length);

  $effect(() => {
    if (stretch.folded && stretch.folded <= AT_ONCE && !unfolded.length) void unfold();
  });

  async function unfold(): Promise<void> {
    if (asking) return;
    asking = true;
    try {
      const start = stretch.left_start + head.length + unfolded.length;
      const asked = { ...where, side: 'left' as const, start, count: Math.min(rest, PART) };
      unfolded = [...unfolded, ...(await askLines(where.looked, asked))];
    } finally {
      asking = false;
    }
  }
</script>

{#snippet line(text: string, at: number)}
  <span class="number">{stretch.left_start + at + 1}</span>
  <span class="number">{stretch.right_start + at + 1}</span>
  <span class="min-w-0 {wraps ? 'break-words whitespace-pre-wrap' : 'whitespace-pre'}"
    >{text || ' '}</span
  >
{/snippet}

<div class="grid grid-cols-[44px_44px_minmax(0,1fr)] gap-x-2.5 overflow-x-auto text-ink-2">
  {#each head as pieces, k (k)}{@render line(pieces.join(''), k)}{/each}
  {#each unfolded as text, k (k)}{@render line(text, head.length + k)}{/each}
  {#if rest > 0}
    <span class="col-span-2 border-y border-dashed border-line"></span>
    <button
      class="link justify-self-start py-1 font-sans text-sm"
      disabled={asking}
      onclick={unfold}
      >{asking
        ? 'Reading…'
        : rest > PART
          ? `show the next ${PART.toLocaleString('en')} of ${count(rest, 'equal line')}`
          : `show ${count(rest, 'equal line')}`}</button
    >
  {/if}
  {#each tail as pieces, k (k)}
    {@render line(pieces.join(''), stretch.left_size - tail.length + k)}
  {/each}
</div>

<style>
  .number {
    text-align: right;
    color: var(--ink-3);
    user-select: none;
  }
</style>
