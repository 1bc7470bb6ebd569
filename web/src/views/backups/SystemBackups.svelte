<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { searchParams } from 'sv-router';
  import { askWork, backups, systems } from '$lib/api/queries';
  import { expected, retention } from '$lib/api/practice';
  import { total } from '$lib/model/differences';
  import Asked from '$lib/parts/Asked.svelte';
  import type { AskedFor } from '$lib/model/asked';
  import Expectation from '$lib/parts/Expectation.svelte';
  import KeyHints from '$lib/parts/KeyHints.svelte';
  import Timeline from '$lib/parts/Timeline.svelte';
  import Title from '$lib/parts/Title.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import Working from '$lib/parts/Working.svelte';
  import { navigate } from '../../routes';
  import BackupTable from './BackupTable.svelte';
  import Practice from './Practice.svelte';

  const FAILED = { backup: 'backup', look: 'look', verify: 'reading of the backups' };
  let { number }: { number: number } = $props();

  const all = createQuery(systems);
  const system = $derived(all.data?.find((s) => s.id === number));
  const list = createQuery(() => backups(number));
  const kept = createQuery(() => retention(number));
  const ahead = createQuery(() => expected(number, []));
  let width = $state(1000);
  let note = $state('');
  let error = $state<Error>();
  let asked = $state<AskedFor>();
  const going = $derived(
    new Set([...(kept.data?.goes.map((g) => g.backup) ?? []), ...(kept.data?.next ?? [])]),
  );
  // what takes this long, or may not fit, is told beforehand
  const LONG_SECONDS = 10;
  const large = $derived(
    ahead.data &&
      (ahead.data.seconds > LONG_SECONDS ||
        (ahead.data.free !== null && ahead.data.free < 10 * ahead.data.bytes)),
  );

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
      <div class="flex flex-wrap items-center gap-4">
        <h1 class="text-xl font-semibold tracking-tight">Backups of {system.name}</h1>
        {#if !asked}<span class="text-sm"><Working {system} /></span>{/if}
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
      {#if large}<p class="text-right text-sm text-ink-2">
          <Expectation expected={ahead.data} />
        </p>{/if}
      {#if asked}
        {@const one = asked}
        <p class="mt-1">
          <Asked
            asked={one}
            {system}
            onagain={() => (one.kind === 'backup' ? void keep() : (asked = undefined))}
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
          The last {FAILED[system.failed.kind]}
          {system.failed.at_written ? `of ${system.failed.at_written} ` : ''}failed. {system.failed
            .message}
        </p>
      {/if}
      <Practice
        {system}
        backups={list.data ?? []}
        kept={kept.data}
        sheet={searchParams.get('sheet')?.toString() ?? ''}
        onsheet={(name) => (name ? searchParams.set('sheet', name) : searchParams.delete('sheet'))}
        onasked={(made) => (asked = made)}
      />
      <div bind:clientWidth={width} class="my-2 border-b border-line">
        {#if list.data?.length}
          <Timeline backups={list.data} {width} height={100} hanging={26} {going} />
        {/if}
      </div>
      {#if list.data?.length}
        <BackupTable
          {system}
          backups={list.data}
          kept={kept.data}
          onasked={(made) => (asked = made)}
        />
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
      ? `Above the line: how much had changed. Beneath it: how much was new in the store. ${system.backups.filter((b) => total(b.changes)).length} of ${system.backups.length} hold a change.`
      : ''}
  />
</div>
