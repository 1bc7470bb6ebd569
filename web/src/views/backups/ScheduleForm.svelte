<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { untrack } from 'svelte';
  import type { AskSchedule, Schedule, System } from '$lib/api/client';
  import { saveSchedule, timesAhead } from '$lib/api/practice';
  import { places } from '$lib/api/queries';
  import { count } from '$lib/model/differences';
  import { createDoing } from '$lib/model/doing.svelte';
  import { samePath } from '$lib/model/paths';
  import { rested } from '$lib/model/rested.svelte';
  import { FORMS, timingOf, WEEKDAYS, whenOf, zones } from '$lib/model/timing';
  import TakesLess from './TakesLess.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';

  /** Says when and what; the next three times and what would cross are shown as it is edited. */
  interface Props {
    system: System;
    schedule?: Schedule;
    onclose: () => void;
  }
  let { system, schedule, onclose }: Props = $props();

  const start = untrack(() => schedule);
  const when = $state(whenOf(start));
  let at = $state<string[]>(start?.at ?? []);
  let note = $state(start?.note ?? '');
  let choice = $state<AskSchedule['choice']>(start?.choice ?? null);
  const doing = createDoing();
  const holding = createQuery(() => places(system.id));
  const branches = $derived((holding.data ?? []).filter((place) => place.path.length));
  const body = $derived<AskSchedule>({
    ...timingOf(when),
    at,
    note,
    choice,
  });
  const REST = 250;
  const typed = rested(() => body, REST);
  const ahead = createQuery(() => timesAhead(system.id, typed.current));
  const chosen = $derived(branches.findIndex((place) => samePath(place.path, at)));

  function save(event: SubmitEvent): void {
    event.preventDefault();
    doing.run('save', async () => {
      await saveSchedule(system.id, body, start?.id);
      onclose();
    });
  }

  const told = (iso: string): string =>
    new Date(iso).toLocaleString('en-GB', {
      weekday: 'short',
      day: 'numeric',
      month: 'short',
      hour: '2-digit',
      minute: '2-digit',
      timeZone: when.zone,
    });
</script>

<form
  onsubmit={save}
  class="mt-3 grid grid-cols-[minmax(0,1fr)_240px] gap-x-5"
  aria-label="Schedule"
>
  <div class="grid content-start gap-y-2">
    <label class="grid grid-cols-[60px_minmax(0,1fr)] items-center">
      keep
      <select
        class="field"
        aria-label="Keep"
        value={chosen}
        onchange={(event) => (at = branches[Number(event.currentTarget.value)]?.path ?? [])}
      >
        <option value={-1}>all of {system.name}</option>
        {#each branches as place, n (place.written)}
          <option value={n}>only {place.written}</option>
        {/each}
      </select>
    </label>
    <label class="grid grid-cols-[60px_minmax(0,1fr)] items-center">
      when
      <select class="field" aria-label="When" bind:value={when.form}>
        {#each FORMS as [form, words] (form)}<option value={form}>{words}</option>{/each}
      </select>
    </label>
    <div class="ml-[60px] flex flex-wrap items-center gap-2">
      {#if when.form === 'every'}
        every <input
          class="field w-20"
          type="number"
          min="1"
          max="10080"
          aria-label="Minutes"
          bind:value={when.minutes}
        /> minutes
      {:else if when.form === 'cron'}
        <input
          class="field w-44 font-mono"
          aria-label="Cron expression"
          spellcheck="false"
          bind:value={when.cron}
        />
        <span class="text-xs text-ink-2">minute hour day month weekday</span>
      {:else}
        {#if when.form === 'weekly'}
          on <select class="field" aria-label="Day of the week" bind:value={when.weekday}>
            {#each WEEKDAYS as day (day)}<option value={day}>{day}</option>{/each}
          </select>
        {:else if when.form === 'monthly'}
          on day <input
            class="field w-16"
            type="number"
            min="1"
            max="31"
            aria-label="Day of the month"
            bind:value={when.day}
          />
        {/if}
        {when.form === 'hourly' ? 'at minute' : 'at'}
        <input class="field" type="time" aria-label="Time" required bind:value={when.clock} />
      {/if}
    </div>
    {#if when.form !== 'every'}
      <label class="grid grid-cols-[60px_minmax(0,1fr)] items-center">
        clock of
        <select class="field" aria-label="Clock of" bind:value={when.zone}>
          {#each zones() as zone (zone)}<option>{zone}</option>{/each}
        </select>
      </label>
    {/if}
    <label class="grid grid-cols-[60px_minmax(0,1fr)] items-center">
      note
      <input
        class="field"
        aria-label="Note"
        maxlength="300"
        placeholder="nightly"
        bind:value={note}
      />
    </label>
    <TakesLess system={system.id} bind:choice />
  </div>
  <div class="border-l border-line pl-4 text-sm" aria-live="polite">
    {#if ahead.error}
      <p class="text-stop">{ahead.error.message}</p>
    {:else if ahead.data}
      <p class="text-ink-2">The next times</p>
      <ul class="mb-2 font-mono">
        {#each ahead.data.next as time (time)}<li>{told(time)}</li>{/each}
      </ul>
      {#if ahead.data.crossing_count}
        <p class="border-l-3 border-confirm pl-2">
          {count(ahead.data.crossing_count, 'reference')} would lead out of what is kept together, or
          into it. What they name is kept at other times, so the two may not fit when they are restored.
        </p>
        <ul class="mt-1 max-h-32 overflow-auto font-mono text-xs">
          {#each ahead.data.crossing as one, n (n)}
            <li class="border-b border-line py-0.5 break-words">
              {one.source} <span class="text-ink-2">{one.attribute} →</span>
              {one.target}
            </li>
          {/each}
        </ul>
      {/if}
    {/if}
  </div>
  <div class="col-span-2 mt-3 flex justify-end gap-2.5">
    {#if doing.error}<Trouble error={doing.error} />{/if}
    <button type="button" class="act" onclick={onclose}>Back</button>
    <button class="act main" disabled={!!doing.busy}
      >{start ? 'Save the schedule' : 'Keep this schedule'}</button
    >
  </div>
</form>
