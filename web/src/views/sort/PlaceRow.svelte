<script lang="ts">
  import type { Bench } from '$lib/api/client';
  import { plainName } from '$lib/model/paths';
  import type { Picks } from '$lib/model/picks.svelte';
  import PutButton from './PutButton.svelte';

  interface Props {
    bench: Bench;
    picks: Picks;
    live: boolean;
    differing: string[];
  }
  let { bench, picks, live, differing }: Props = $props();

  const picked = $derived(picks.attributeState(bench.path, 'place') === 'all');
  const written = (path: string[]): string => path.map(plainName).join(' / ');
</script>

<div
  role="row"
  class="grid grid-cols-[128px_minmax(0,1fr)_38px_minmax(0,1fr)] gap-x-2.5 border-b border-line py-1.5 {picked
    ? 'bg-[linear-gradient(90deg,transparent_120px,var(--pick-wash)_120px)]'
    : ''}"
>
  <span role="rowheader" class="text-ink-2">place</span>
  <span role="cell" class="font-mono text-sm">{written(bench.path)}</span>
  <div role="cell">
    {#if live}
      <PutButton
        state={picked ? 'all' : 'none'}
        label="Put back its place"
        onput={() => picks.toggleAttribute(bench.path, 'place', differing)}
      />
    {/if}
  </div>
  <span role="cell" class="font-mono text-sm">
    <span class={picked ? 'goes' : ''}>{written(bench.live_path ?? [])}</span>
    {#if picked}<br /><span class="font-semibold text-pick">{written(bench.path)}</span>{/if}
  </span>
</div>
