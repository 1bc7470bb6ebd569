<script lang="ts">
  import type { Stretch } from '$lib/api/client';
  import { askLines, type Looked } from '$lib/api/comparing';
  import { count } from '$lib/model/differences';
  import type { Path } from '$lib/model/paths';
  import type { PickState } from '$lib/model/picks.svelte';
  import Pieces from '$lib/parts/Pieces.svelte';
  import PutButton from './PutButton.svelte';

  /** A hunk at full width: the lines of both sides with their numbers, the pick between them. */
  interface Props {
    stretch: Stretch;
    where: { looked: Looked; path: Path; attribute: string };
    wraps: boolean;
    pickable: boolean;
    picked: PickState;
    label: string;
    /** Of how many it is which. */
    told: string;
    onput: () => void;
  }
  let { stretch, where, wraps, pickable, picked, label, told, onput }: Props = $props();

  let more = $state({ left: [] as string[], right: [] as string[] });
  const comes = $derived(picked === 'all');

  async function fetchMore(side: 'left' | 'right', from: number, rest: number): Promise<void> {
    const asked = { ...where, side, start: from, count: Math.min(rest, 1000) };
    more[side] = [...more[side], ...(await askLines(where.looked, asked))];
  }
</script>

{#snippet lines(side: 'left' | 'right', start: number, size: number)}
  {@const shown = [...stretch[side], ...more[side].map((line) => ['', line])]}
  <div
    class="grid min-w-0 content-start gap-x-2.5 overflow-x-auto border-l-3 {side === 'left'
      ? 'grid-cols-[95px_minmax(0,1fr)] border-missing'
      : 'grid-cols-[44px_minmax(0,1fr)] border-extra'}"
  >
    {#each shown as pieces, k (k)}
      <span class="text-right text-ink-3 select-none {side === 'left' ? 'pr-[54px]' : ''}"
        >{start + k + 1}</span
      >
      <span class="min-w-0 {wraps ? 'break-words whitespace-pre-wrap' : 'whitespace-pre'}"
        ><span class={side === 'right' && comes ? 'goes' : ''}
          ><Pieces {pieces} {side} quiet={side === 'right' && comes} />{pieces.join('') === ''
            ? ' '
            : ''}</span
        ></span
      >
    {:else}
      <span class="col-span-2 pl-2.5 font-sans text-ink-3">no line</span>
    {/each}
    {#if shown.length < size}
      <button
        class="link col-span-2 justify-self-start pl-2.5 font-sans text-sm"
        onclick={() => fetchMore(side, start + shown.length, size - shown.length)}
        >{count(size - shown.length, 'more line')}</button
      >
    {/if}
    {#if side === 'right' && comes}
      {#each stretch.left as pieces, k (k)}
        <span></span>
        <span
          class="min-w-0 font-semibold text-pick {wraps
            ? 'break-words whitespace-pre-wrap'
            : 'whitespace-pre'}">{pieces.join('') || ' '}</span
        >
      {/each}
    {/if}
  </div>
{/snippet}

<div
  class="my-1 grid grid-cols-[minmax(0,1fr)_72px_minmax(0,1fr)] gap-x-1.5 py-1 {comes
    ? 'bg-pick-wash'
    : 'bg-paper'}"
>
  {@render lines('left', stretch.left_start, stretch.left_size)}
  <div class="grid content-start justify-items-center gap-0.5">
    {#if pickable}<PutButton state={picked} {label} {onput} />{/if}
    <small class="font-sans text-xs text-ink-3">{told}</small>
  </div>
  {@render lines('right', stretch.right_start, stretch.right_size)}
</div>
