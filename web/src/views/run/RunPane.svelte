<script lang="ts">
  import type { Run } from '$lib/api/client';
  import { cancelRun } from '$lib/api/running';
  import { count, inWords, total } from '$lib/model/differences';
  import { emptyTrayAfter } from '$lib/model/picks.svelte';
  import Ago from '$lib/parts/Ago.svelte';
  import KeyHints from '$lib/parts/KeyHints.svelte';
  import NoWorker from '$lib/parts/NoWorker.svelte';
  import StepChange from '$lib/parts/StepChange.svelte';
  import StepLine from '$lib/parts/StepLine.svelte';
  import Title from '$lib/parts/Title.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import RunEffects from './RunEffects.svelte';
  import RunEnd from './RunEnd.svelte';
  import Trial from './Trial.svelte';
  import WaitNote from './WaitNote.svelte';

  let { run }: { run: Run } = $props();

  let picked = $state<number>();
  let error = $state<Error>();
  /** Steps that are to be taken back, and no others; another may have taken some back since. */
  let marked = $state<number[]>([]);
  const chosen = $derived(marked.filter((number) => !run.taken_back.includes(number)));
  const finished = $derived(run.state === 'finished');
  const current = $derived(run.lines.find((l) => l.state === 'in doubt' || l.state === 'waiting'));
  const trouble = $derived(
    run.lines.find((l) => ['failed', 'conflict', 'differs'].includes(l.state)),
  );
  const shown = $derived(picked ?? trouble?.number ?? (finished ? 1 : (current?.number ?? 1)));
  const step = $derived(run.content.steps.find((s) => s.number === shown));
  const line = $derived(run.lines.find((l) => l.number === shown));
  const what = $derived(run.undoes ? `Undo of run ${run.undoes}` : 'Restore');
  const OUTCOMES: Record<string, string> = {
    verified: 'done and verified',
    unchanged: 'nothing had to be written, live was so already',
    partial: 'stopped half-way',
    failed: 'nothing was done',
    cancelled: 'cancelled',
    unknown: 'ended, and what became of a step is not known yet',
  };
  const says = $derived(
    finished
      ? run.outcome === 'partial' && run.done === run.steps
        ? `${what}: all is written, but something afterwards failed`
        : `${what}: ${OUTCOMES[run.outcome] ?? run.outcome}`
      : run.interrupted
        ? `${what}: interrupted; a worker goes on with it`
        : run.cancel_asked
          ? `${what}: ends before the next step`
          : run.waits_until
            ? `${what}: waits for ${run.system_name}`
            : run.state === 'waiting'
              ? `${what}: waits for a worker to begin it`
              : `${what}: step ${Math.min(run.done + 1, run.steps)} of ${run.steps}`,
  );
  const HUES: Record<string, string> = {
    done: 'pick',
    differs: 'stop',
    failed: 'stop',
    conflict: 'stop',
    skipped: 'confirm',
    waiting: 'ink-3',
    'in doubt': 'note',
  };
  const LINE_WORDS: Record<string, string> = $derived({
    'in doubt': finished ? 'not known' : run.waits ? 'in doubt' : 'writing',
    done: 'verified',
    differs: 'written, differs',
  });

  /** Whether something of what was picked is still to do. */
  const again = $derived(
    finished &&
      !run.undoes &&
      run.content.backup !== null &&
      !['verified', 'unchanged'].includes(run.outcome),
  );

  // picks stay until they are done
  $effect(() => {
    if (run.outcome === 'verified' && !run.undoes && run.content.backup !== null)
      emptyTrayAfter(run.system, run.id);
  });

  async function cancel(): Promise<void> {
    try {
      await cancelRun(run.id);
    } catch (problem) {
      error = problem as Error;
    }
  }
</script>

<Title text={says} />
<div class="grid min-h-0 grid-rows-[auto_minmax(0,1fr)_auto]">
  <header class="border-b border-line bg-sheet px-5 pt-3 pb-3">
    <div class="flex flex-wrap items-center justify-between gap-x-4 gap-y-1">
      <div class="min-w-0">
        <h1 class="text-[17px] font-semibold tracking-tight" aria-live="polite">{says}</h1>
        <p class="text-ink-2">
          {run.system_name} · {count(run.done, 'step')} of {run.steps} done and read back · begun
          <Ago at={run.started_at} />{run.by ? ` by ${run.by}` : ''}
        </p>
      </div>
      {#if finished}
        <RunEnd {run} {again} {chosen} onerror={(problem) => (error = problem)} />
      {:else}
        <button class="act py-2" disabled={run.cancel_asked} onclick={cancel}>
          {run.cancel_asked ? 'Ends before the next step' : 'Cancel before the next step'}
        </button>
      {/if}
    </div>
    <div
      class="mt-2.5 h-1.5 bg-sunk"
      role="progressbar"
      aria-label="Steps done"
      aria-valuemin="0"
      aria-valuemax={run.steps}
      aria-valuenow={run.done}
    >
      <div class="h-full bg-pick" style:width="{(100 * run.done) / Math.max(1, run.steps)}%"></div>
    </div>
    {#if error}<div class="mt-2"><Trouble {error} /></div>{/if}
    {#if !finished}<div class="mt-2"><NoWorker /></div>{/if}
    {#if run.waits && !finished}<WaitNote {run} />{/if}
    {#if !finished}<RunEffects {run} />{/if}
    {#if run.message}
      <p class="mt-2 border-l-3 {finished ? 'border-stop' : 'border-note'} pl-2.5">{run.message}</p>
    {/if}
    {#each run.report as said (said)}
      <p class="mt-2 border-l-3 border-note pl-2.5 text-ink-2">{said}</p>
    {/each}
    {#if finished && !run.message && run.outcome !== 'unknown'}
      <p class="mt-2 text-ink-2">
        {#if !run.looked}
          Each step was read back. Live as a whole has not been looked at since.
        {:else if total(run.left_now)}
          Looked again afterwards: live differs from the newest backup in {count(
            total(run.left_now),
            'object',
          )}
          ({inWords(run.left_now)}).
        {:else}
          Looked again afterwards: live is as the newest backup.
        {/if}
      </p>
    {/if}
  </header>
  <main tabindex="-1" class="grid min-h-0 grid-cols-[minmax(0,430px)_minmax(0,1fr)]">
    <section class="min-h-0 overflow-auto border-r border-line px-4 py-2" aria-label="Steps">
      {#each run.content.steps as one (one.number)}
        {@const its = run.lines.find((l) => l.number === one.number)}
        {@const back = run.taken_back.includes(one.number)}
        <StepLine step={one} chosen={one.number === shown} onchoose={() => (picked = one.number)}>
          {#snippet end()}
            {#if its}
              <span class="pr-1 text-sm font-semibold" style:color="var(--{HUES[its.state]})">
                {back
                  ? 'undone'
                  : its.already
                    ? 'already so'
                    : (LINE_WORDS[its.state] ?? its.state)}
              </span>
              {#if finished && its.wrote && !back && run.steps > 1}
                <input
                  type="checkbox"
                  class="accent-pick"
                  aria-label="Undo step {one.number}"
                  title="To undo only some steps, choose them"
                  value={one.number}
                  bind:group={marked}
                />
              {/if}
            {/if}
          {/snippet}
        </StepLine>
      {/each}
    </section>
    <section class="min-h-0 overflow-auto bg-sheet px-5 py-3" aria-label="Step">
      {#if step && line}
        <div class="font-mono text-xs break-all text-ink-2">{step.written}</div>
        <h2 class="mt-0.5 mb-2 text-xl font-semibold tracking-tight">
          {step.name.replace(/^[a-z]+=/i, '')}
          <span class="text-sm font-medium text-ink-2">{step.kind_label} · step {step.number}</span>
        </h2>
        {#if line.message}<p class="mb-2 border-l-3 border-stop pl-2.5">{line.message}</p>{/if}
        {#if line.report}<p class="mb-2 border-l-3 border-note pl-2.5">{line.report}</p>{/if}
        {#if finished && step.trial && line.state === 'done' && step.action !== 'delete'}
          {#key step.number}<Trial {run} step={step.number} does={step.trial} />{/key}
        {/if}
        <StepChange {step} past={finished || !['waiting', 'in doubt'].includes(line.state)} />
        {#if step.rendered}
          <h3 class="mt-4 mb-1 text-sm text-ink-2">
            {line.state === 'done' && !line.already
              ? `what was sent to ${run.system_name}, as planned`
              : `what the step was to send to ${run.system_name}`}
          </h3>
          <pre
            class="overflow-auto rounded-[3px] border border-line bg-sunk px-3 py-2 font-mono text-sm leading-relaxed">{step.rendered}</pre>
        {/if}
      {/if}
    </section>
  </main>
  <KeyHints keys={[]} note="Each step is written down before it is sent, and read back after." />
</div>
