<script lang="ts">
  import type { Schedule, System } from '$lib/api/client';
  import { pauseSchedule, removeSchedule, runSchedule } from '$lib/api/practice';
  import type { AskedFor } from '$lib/model/asked';
  import { createDoing } from '$lib/model/doing.svelte';
  import { ago, exact, until } from '$lib/model/time';
  import Sheet from '$lib/parts/Sheet.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import ScheduleForm from './ScheduleForm.svelte';

  /** The schedules of a system: what each keeps and when, and the form to make another. */
  interface Props {
    open: boolean;
    system: System;
    schedules: Schedule[];
    onasked: (asked: AskedFor) => void;
  }
  let { open = $bindable(), system, schedules, onasked }: Props = $props();

  let editing = $state<number | 'new'>();
  const doing = createDoing();

  const pause = (id: number, paused: boolean): void =>
    doing.run(`pause ${id}: ${paused}`, () => pauseSchedule(id, paused));

  const run = (one: Schedule): void =>
    doing.run('run', async () => {
      onasked({ number: await runSchedule(one.id), kind: 'backup', at: one.at ?? [] });
      open = false;
    });
</script>

<Sheet bind:open title="When backups of {system.name} are made" width={720}>
  {#each schedules as one (one.id)}
    {#if editing === one.id}
      <ScheduleForm {system} schedule={one} onclose={() => (editing = undefined)} />
    {:else}
      <article class="border-b border-line py-2" aria-label={one.words}>
        <p class={one.paused ? 'text-ink-3' : ''}>
          <b class="font-semibold">{one.words}</b>
          {one.at_written ? `only ${one.at_written}` : 'all of it'}{one.note
            ? ` · “${one.note}”`
            : ''}
        </p>
        <p class="text-sm text-ink-2">
          {#if one.paused}
            paused: it makes nothing, and makes up for nothing later
          {:else}
            next {#each one.next as at, n (at)}{n ? ', ' : ''}<span title={exact(at)}
                >{until(at)}</span
              >{/each}
          {/if}
          · {one.last_at ? `made last ${ago(one.last_at)}` : 'none made yet'} · by {one.by ||
            'the command line'}
        </p>
        {#if one.overdue_since}
          <p class="font-semibold text-stop">
            Overdue: it was due {ago(one.overdue_since)} and is not made.
          </p>
        {/if}
        {#if one.passed_over_at}
          <p class="text-confirm">
            Passed over {ago(one.passed_over_at)}: the one before was still being made.
          </p>
        {/if}
        <p class="flex gap-3 text-sm">
          <button class="link" disabled={one.running !== null} onclick={() => run(one)}
            >{one.running === null ? 'run now' : 'being made…'}</button
          >
          <button class="link" onclick={() => (editing = one.id)}>change</button>
          <button class="link" onclick={() => pause(one.id, !one.paused)}
            >{one.paused ? 'go on' : 'pause'}</button
          >
          <button
            class="link"
            title="What it has kept stays"
            onclick={() => doing.run(`remove ${one.id}`, () => removeSchedule(one.id))}
            >remove</button
          >
        </p>
      </article>
    {/if}
  {:else}
    <p class="text-ink-2">
      None yet: a backup is made when somebody asks for it. A schedule makes them by itself, all of
      it each night say, and one branch every ten minutes.
    </p>
  {/each}
  {#if doing.error}<Trouble error={doing.error} />{/if}
  {#if editing === 'new'}
    <ScheduleForm {system} onclose={() => (editing = undefined)} />
  {:else}
    <div class="mt-3 flex justify-end gap-2.5">
      <button class="act" onclick={() => (open = false)}>Close</button>
      <button class="act main" onclick={() => (editing = 'new')}>Make a schedule</button>
    </div>
  {/if}
</Sheet>
