<script lang="ts">
  import { searchParams } from 'sv-router';
  import type { CompareHead, System } from '$lib/api/client';
  import { askShown, type Looked } from '$lib/api/comparing';
  import { count } from '$lib/model/differences';
  import { FILTERS, setParameter, type FilterName } from '$lib/model/looked.svelte';
  import type { Picks } from '$lib/model/picks.svelte';
  import { placeOf, plainName } from '$lib/model/paths';
  import { ago } from '$lib/model/time';
  import AsideNote from './AsideNote.svelte';
  import ExportDialog from './ExportDialog.svelte';
  import FilterPopover from './FilterPopover.svelte';

  /** What the tree shows: the switch, the filters, and what can be done with all that is shown. */
  interface Props {
    system: System;
    head: CompareHead | undefined;
    looked: Looked;
    picks: Picks;
    live: boolean;
    only: 'differences' | 'all';
    filtering: boolean;
  }
  let { system, head, looked, picks, live, only, filtering = $bindable() }: Props = $props();

  let told = $state('');
  let missingShown = $state(false);
  const active = $derived(FILTERS.filter((name) => looked[name] !== undefined));
  const onlyExtra = $derived(looked.states === 'extra');

  function word(name: FilterName): string {
    const value = String(looked[name]).replaceAll(',', ', ');
    if (name === 'name') return `name holds “${value}”`;
    if (name === 'listed') return 'only what is listed';
    if (name === 'since') {
      const backup = system.backups.find((b) => b.id === looked.since);
      return `changed since ${backup ? ago(backup.taken_at) : 'a backup'}`;
    }
    return value;
  }

  async function pickAll(): Promise<void> {
    const { rows, total } = await askShown(looked);
    const wanted = rows.filter((r) =>
      onlyExtra ? r.state === 'extra' : !['extra', 'unreadable'].includes(r.state),
    );
    picks.addAll(wanted);
    const left = rows.length - wanted.length;
    told = [
      `${count(wanted.length, 'object')} picked`,
      left ? `${left} that ${left === 1 ? 'is' : 'are'} extra or unreadable left out` : '',
      total > rows.length ? `the first ${rows.length.toLocaleString('en')} of ${total}` : '',
    ]
      .filter(Boolean)
      .join(', ');
  }

  let saving = $state<string[][]>();

  async function saveShown(): Promise<void> {
    const { rows, total } = await askShown(looked);
    saving = rows.filter((row) => row.state !== 'extra').map((row) => row.path);
    if (total > rows.length) told = `only the first ${rows.length.toLocaleString('en')} are saved`;
  }

  $effect(() => {
    void looked;
    told = '';
  });
</script>

<div class="grid gap-1 px-3.5 pt-2 pb-1.5 text-sm text-ink-2">
  <div class="flex items-center justify-between gap-2">
    <label class="flex items-center gap-1.5 whitespace-nowrap">
      <input
        type="checkbox"
        class="accent-pick"
        checked={only === 'differences'}
        onchange={() =>
          only === 'differences' ? searchParams.set('show', 'all') : searchParams.delete('show')}
      />
      differences only
    </label>
    <FilterPopover bind:open={filtering} {system} {head} {looked} {picks} />
  </div>
  {#if head?.mentions}
    <p class="border-l-3 border-line-strong pl-2">
      The file tells of {count(head.mentions, 'object')} here; of the rest it says nothing.
    </p>
  {/if}
  {#if head?.aside_count}
    <AsideNote {head} />
  {/if}
  {#if head?.covers.length}
    <p class="border-l-3 border-line-strong pl-2" title={placeOf(head.covers)}>
      Only <b class="font-semibold text-ink">{plainName(head.covers.at(-1)!)}</b> is compared; nothing
      else is in this backup.
    </p>
  {/if}
  {#if active.length}
    <div class="flex flex-wrap gap-1">
      {#each active as name (name)}
        <span class="flex max-w-full items-center gap-1 rounded-sm bg-sunk px-1.5 text-xs text-ink">
          <span class="truncate">{word(name)}</span>
          <button
            aria-label="Take this filter away: {word(name)}"
            onclick={() => setParameter(name, undefined)}>×</button
          >
        </span>
      {/each}
    </div>
    <div class="flex flex-wrap items-center gap-x-3">
      <span>{count(head?.shown ?? 0, 'difference')} shown</span>
      {#if live && head?.shown}
        <button class="link" onclick={pickAll}
          >{onlyExtra ? 'pick all to be removed' : 'pick all shown'}</button
        >
      {/if}
      {#if head?.shown && !head.left.file && !onlyExtra}
        <button class="link" title="What is shown, as the backup has it" onclick={saveShown}
          >save all shown…</button
        >
      {/if}
      {#if head?.missing_count}
        <button class="link text-confirm" onclick={() => (missingShown = !missingShown)}
          >{count(head.missing_count, 'line')} not found</button
        >
      {/if}
    </div>
    {#if missingShown && head?.missing_count}
      <ul class="max-h-24 overflow-auto border-l-3 border-confirm pl-2 font-mono text-xs">
        {#each head.missing as line, n (n)}<li class="break-words">{line}</li>{/each}
      </ul>
    {/if}
    {#if told}<p role="status">{told}.</p>{/if}
  {/if}
</div>
{#if saving}
  <ExportDialog
    bind:open={() => true, () => (saving = undefined)}
    backup={looked.left}
    branches={[]}
    single={saving}
    called="what is shown"
  />
{/if}
