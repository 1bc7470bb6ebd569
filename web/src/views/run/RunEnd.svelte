<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import type { Plan, Run } from '$lib/api/client';
  import { askPreviewAgain, attention } from '$lib/api/queries';
  import { askUndo } from '$lib/api/running';
  import { count } from '$lib/model/differences';
  import { saveText } from '$lib/model/saving';
  import { openPlan } from '../preview/open';

  /** What can be done once a run has ended: going on stands first, and the way back is there. */
  interface Props {
    run: Run;
    /** Whether something of what was picked is still to do. */
    again: boolean;
    /** Numbers of steps that alone are to be taken back. */
    chosen: number[];
    onerror: (problem: Error | undefined) => void;
  }
  let { run, again, chosen, onerror }: Props = $props();

  let waiting = $state(false);
  const wanting = createQuery(attention);
  const next = $derived(
    wanting.data
      ?.map((one) => one.item)
      .find((item) => !item.aside && item.system && item.system !== run.system),
  );
  const well = $derived(['verified', 'unchanged'].includes(run.outcome));

  async function ask(plan: () => Promise<Plan>): Promise<void> {
    waiting = true;
    onerror(undefined);
    try {
      await openPlan(await plan());
    } catch (problem) {
      onerror(problem as Error);
    } finally {
      waiting = false;
    }
  }

  const save = (): void =>
    saveText(`run-${run.id}.json`, JSON.stringify(run, null, 2), 'application/json');
</script>

<div class="flex flex-wrap items-center gap-2.5">
  <button class="link" onclick={save}>save the report</button>
  {#if run.undone_by}
    <a class="link" href="/runs/{run.undone_by}">undone by run {run.undone_by}</a>
  {:else}
    <button
      class="act py-2"
      disabled={waiting || !run.written}
      title={run.written ? '' : 'This run has written nothing.'}
      onclick={() => ask(() => askUndo(run.id, chosen))}
    >
      {waiting
        ? 'Looking at live…'
        : chosen.length
          ? `Undo ${count(chosen.length, 'chosen step')}`
          : run.taken_back.length
            ? 'Undo the rest'
            : 'Undo'}
    </button>
  {/if}
  {#if again}
    <button class="act py-2" disabled={waiting} onclick={() => ask(() => askPreviewAgain(run.plan))}
      >Preview again</button
    >
  {/if}
  {#if next}
    <a class="act py-2" href={next.place} title={next.title}>Next: {next.system_name}</a>
  {/if}
  <a class="act py-2 {well ? 'main' : ''}" href="/sort/{run.system}">Go on with {run.system_name}</a
  >
</div>
