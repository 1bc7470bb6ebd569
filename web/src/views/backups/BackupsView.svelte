<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { askWork, backups, systems } from '$lib/api/queries';
  import { total } from '$lib/model/differences';
  import Asked from '$lib/parts/Asked.svelte';
  import type { AskedFor } from '$lib/model/asked';
  import KeyHints from '$lib/parts/KeyHints.svelte';
  import Timeline from '$lib/parts/Timeline.svelte';
  import Title from '$lib/parts/Title.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import Working from '$lib/parts/Working.svelte';
  import { navigate, route } from '../../routes';
  import BackupRow from './BackupRow.svelte';

  const number = $derived(Number(route.params.system));
  const all = createQuery(systems);
  const system = $derived(all.data?.find((s) => s.id === number));
  const list = createQuery(() => backups(number));
  let width = $state(1000);
  let note = $state('');
  let error = $state<Error>();
  let asked = $state<AskedFor>();
  let pair = $state<number[]>([]);
  const sorted = $derived([...pair].sort((a, b) => a - b));

  async function keep(event?: SubmitEvent): Promise<void> {
    event?.preventDefault();
    error = undefined;
    try {
      asked = { number: await askWork(number, 'backup', [], note), kind: 'backup', at: [] };
      note = '';
    } catch (problem) {
      error = problem as Error;
    }
  }
</script>

<Title text="Backups{system ? ` of ${system.name}` : ''}" />
<div class="grid min-h-0 grid-rows-[minmax(0,1fr)_auto]">
  <main tabindex="-1" class="overflow-auto px-5 py-3">
    {#if system}
      <div class="flex items-center gap-4">
        <h1 class="text-xl font-semibold tracking-tight">Backups of {system.name}</h1>
        {#if !asked}<Working {system} />{/if}
        <form onsubmit={keep} class="ml-auto flex gap-2">
          <input
            bind:value={note}
            maxlength="400"
            placeholder="a note to remember it by"
            aria-label="Note for a new backup"
            class="w-64 rounded border border-line-strong bg-sheet px-2 py-1 placeholder:text-ink-3"
          />
          <button class="act main">Back up now</button>
        </form>
      </div>
      {#if asked}
        <p class="mt-1">
          <Asked
            {asked}
            onagain={() => void keep()}
            onshow={(record) =>
              navigate('/sort/:system', {
                params: { system: String(number) },
                search: { left: record },
              })}
            ondone={() => (asked = undefined)}
          />
        </p>
      {/if}
      {#if error ?? list.error}<Trouble error={(error ?? list.error)!} />{/if}
      {#if system.failed}
        <p class="mt-2 border-l-3 border-stop pl-2.5">
          The last {system.failed.kind === 'backup' ? 'backup' : 'look'} failed. {system.failed
            .message}
        </p>
      {/if}
      <div bind:clientWidth={width} class="my-2 border-b border-line">
        {#if list.data?.length}<Timeline backups={list.data} {width} height={72} />{/if}
      </div>
      {#if list.data?.length}
        <table class="w-full text-left">
          <thead class="border-b border-line-strong text-sm text-ink-2">
            <tr>
              <th class="w-6"></th>
              {#each ['taken', 'note', 'by', 'changed since the one before', 'objects', 'new in store', 'state', ''] as head, n (n)}
                <th class="py-1 pr-4 font-normal {n === 4 || n === 5 ? 'text-right' : ''}"
                  >{head}</th
                >
              {/each}
            </tr>
          </thead>
          <tbody>
            {#each list.data as backup (backup.id)}
              <BackupRow {backup} bind:pair />
            {/each}
          </tbody>
        </table>
        <div class="mt-3 flex items-center gap-3">
          <button
            class="act"
            disabled={pair.length !== 2}
            onclick={() =>
              navigate('/sort/:system', {
                params: { system: String(number) },
                search: { left: sorted[0]!, right: sorted[1]! },
              })}
          >
            Compare the two chosen
          </button>
          <span class="text-sm text-ink-2">{pair.length} of 2 chosen</span>
        </div>
      {:else if list.data}
        <p class="text-ink-2">No backup yet. Back up now, and what is live is kept whole.</p>
      {/if}
    {:else if all.data}
      <p>There is no such system. <a class="link" href="/">Back to Watch</a></p>
    {/if}
  </main>
  <KeyHints
    keys={[]}
    note={system
      ? `${system.backups.filter((b) => total(b.changes)).length} of ${system.backups.length} backups hold a change.`
      : ''}
  />
</div>
