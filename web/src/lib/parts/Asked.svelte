<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import type { System } from '$lib/api/client';
  import { work } from '$lib/api/queries';
  import type { AskedFor } from '$lib/model/asked';
  import { plainName } from '$lib/model/paths';
  import Progress from './Progress.svelte';
  import SinceLink from './SinceLink.svelte';

  interface Props {
    asked: AskedFor;
    system: System;
    onagain: () => void;
    onshow: (record: number) => void;
    ondone: () => void;
  }
  let { asked, system, onagain, onshow, ondone }: Props = $props();

  const found = createQuery(() => work(asked.number));
  const state = $derived(found.data?.state);
  const what = $derived(asked.kind);
  const done = $derived(
    what === 'look'
      ? 'Live has been looked at.'
      : asked.at.length
        ? `The branch ${plainName(asked.at.at(-1)!)} is kept.`
        : 'The system is kept.',
  );
  const unscheduled = $derived(what === 'backup' && !asked.at.length && !system.schedules.length);
</script>

<span role="status" aria-live="polite" class="text-sm">
  {#if found.error}
    <span class="text-stop">What became of it is not known: {found.error.message}</span>
  {:else if !found.data}
    asked for; a worker has not begun yet
  {:else if state === 'running' || state === 'waiting'}
    <Progress work={found.data} />
  {:else if state === 'failed'}
    <span class="border-l-3 border-stop pl-2">
      <b class="font-semibold">{what === 'verify' ? 'The reading' : `The ${what}`} failed.</b>
      {found.data.message}
      <button class="link" onclick={onagain}>try again</button>
    </span>
  {:else if state === 'cancelled'}
    {found.data.message}
    <button class="link" onclick={ondone}>all right</button>
  {:else if what === 'verify'}
    {found.data.message}
    <button class="link" onclick={ondone}>all right</button>
  {:else}
    {done}
    {#if found.data.result}
      {#if what === 'backup'}
        <SinceLink system={system.id} backup={found.data.result} at={asked.at} />
      {:else}
        <button class="link" onclick={() => onshow(found.data!.result!)}>show it</button>
      {/if}
    {/if}
    {#if unscheduled}
      <a class="link ml-1" href="/backups/{system.id}?sheet=schedules"
        >no schedule makes others: make one</a
      >
    {/if}
    <button class="link ml-2" onclick={ondone}>all right</button>
  {/if}
</span>
