<script lang="ts">
  import type { Row } from '$lib/api/client';
  import { askShown, type Looked } from '$lib/api/comparing';
  import { count, isQuiet, putBack } from '$lib/model/differences';
  import { isBeneath, samePath } from '$lib/model/paths';
  import type { Picks } from '$lib/model/picks.svelte';

  /** What picking a branch takes, and what it does not: extra objects are a choice of their own. */
  interface Props {
    row: Row;
    looked: Looked;
    picks: Picks;
  }
  let { row, looked, picks }: Props = $props();

  const own = $derived(isQuiet(row.state) || row.state === 'extra' ? 0 : 1);
  const back = $derived(putBack(row.tally) - own);
  const extra = $derived((row.tally.extra ?? 0) - (row.state === 'extra' ? 1 : 0));
  let told = $state('');

  async function pickExtra(): Promise<void> {
    const { rows, total } = await askShown({ ...looked, states: 'extra' });
    const wanted = rows.filter((r) => isBeneath(r.path, row.path) && !samePath(r.path, row.path));
    picks.addAll(wanted);
    told = `${count(wanted.length, 'object')} picked to be taken away from live.`;
    if (total > rows.length) told += ` Only the first ${rows.length} were looked through.`;
  }
</script>

{#if back || extra}
  <p class="my-1 text-sm text-ink-2">
    Beneath it
    {#if back}{back === 1
        ? '1 differs that can be put back'
        : `${back.toLocaleString('en')} differ that can be put back`}: picking the branch takes {back ===
      1
        ? 'it'
        : 'them all'}.{/if}
    {#if extra}
      {count(extra, 'object')}
      {extra === 1 ? 'is' : 'are'} extra and stay{extra === 1 ? 's' : ''} ·
      <button class="link" onclick={pickExtra}
        >pick {extra === 1 ? 'it' : 'them'} to be taken away</button
      >
    {/if}
    {#if told}<span role="status">{told}</span>{/if}
  </p>
{/if}
