<script lang="ts">
  import { plainName, type Path } from '$lib/model/paths';
  import type { Picks } from '$lib/model/picks.svelte';
  import PutButton from './PutButton.svelte';

  /** The place of an object that moved, as any other thing that differs of it. */
  interface Props {
    path: Path;
    livePath: Path;
    picks: Picks;
    live: boolean;
    differing: string[];
    label?: string;
  }
  let { path, livePath, picks, live, differing, label = 'Put back its place' }: Props = $props();

  const picked = $derived(picks.attributeState(path, 'place') === 'all');
  const written = (path: string[]): string => path.map(plainName).join(' / ');
</script>

<div
  role="row"
  class="grid grid-cols-[var(--named,128px)_minmax(0,1fr)_38px_minmax(0,1fr)] gap-x-2.5 border-b border-line py-1.5 {picked
    ? 'bg-[linear-gradient(90deg,transparent_var(--named,120px),var(--pick-wash)_var(--named,120px))]'
    : ''}"
>
  <span role="rowheader" class="text-ink-2">place</span>
  <span role="cell" class="min-w-0 font-mono text-sm break-words">{written(path)}</span>
  <div role="cell">
    {#if live}
      <PutButton
        state={picked ? 'all' : 'none'}
        {label}
        onput={() => picks.toggleAttribute(path, 'place', differing)}
      />
    {/if}
  </div>
  <span role="cell" class="min-w-0 font-mono text-sm break-words">
    <span class={picked ? 'goes' : ''}>{written(livePath)}</span>
    {#if picked}<br /><span class="font-semibold text-pick">{written(path)}</span>{/if}
  </span>
</div>
