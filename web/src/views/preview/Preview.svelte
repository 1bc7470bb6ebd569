<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { onMount } from 'svelte';
  import { client, got, type Plan } from '$lib/api/client';
  import { session } from '$lib/api/queries';
  import { count, inWords, total } from '$lib/model/differences';
  import { takesKeys } from '$lib/model/keys';
  import { trayIsCarriedOutBy } from '$lib/model/picks.svelte';
  import { ago } from '$lib/model/time';
  import Ago from '$lib/parts/Ago.svelte';
  import KeyHints from '$lib/parts/KeyHints.svelte';
  import StepLine from '$lib/parts/StepLine.svelte';
  import Title from '$lib/parts/Title.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { navigate } from '../../routes';
  import Document from './Document.svelte';
  import Findings from './Findings.svelte';

  let { plan }: { plan: Plan } = $props();

  const person = createQuery(session);
  let chosen = $state(0);
  let confirmed = $state<string[]>([]);
  let answers = $state<Record<string, string>>({});
  let goOn = $state(false);
  let minutes = $state(10);
  let error = $state<Error>();
  let waiting = $state(false);
  let text = $state<Document>();
  const sums = $derived(plan.summary);
  const objects = $derived(sums.changed + sums.created + sums.removed);
  const stopped = $derived(plan.findings.some((f) => f.level === 'stop'));
  const wanting = $derived(
    plan.findings.filter((f) => f.level === 'confirm' && !confirmed.includes(f.name)).length,
  );
  const unanswered = $derived(
    plan.findings.filter((f) => f.level === 'ask' && !answers[f.name]).length,
  );
  const allowed = $derived(['restorer', 'administrator'].includes(person.data?.role ?? ''));
  const file = $derived(plan.sources.some((one) => one.file));
  const source = $derived(file ? 'the file' : 'the backup');
  const several = $derived(plan.sources.length > 1);
  const verb = $derived(plan.undoes ? 'Undo' : 'Restore');
  const says = $derived.by(() => {
    const told = ([number, one, many]: [number, string, string], first: boolean): string =>
      first
        ? count(number, `object ${one}`, `objects ${many}`)
        : `${number} ${number === 1 ? one : many}`;
    const sorts: [number, string, string][] = [
      [sums.changed, 'changes', 'change'],
      [sums.created, 'is created', 'are created'],
      [sums.removed, 'is taken away', 'are taken away'],
    ];
    const some = sorts.filter(([number]) => number);
    const parts = some.map((one, at) => told(one, at === 0));
    if (!sums.removed) parts.push('nothing is taken away');
    return parts.length > 1 ? `${parts.slice(0, -1).join(', ')}, ${parts.at(-1)}.` : `${parts[0]}.`;
  });
  /** What the button does; what goes is never hidden behind what comes. */
  const does = $derived.by(() => {
    const on = `${plan.undoes ? 'on' : 'to'} ${plan.system_name}`;
    const all = `${count(objects, 'object')}`;
    if (!plan.undoes && sums.removed === objects) return `Delete ${all} from ${plan.system_name}`;
    return `${verb} ${all} ${on}${sums.removed ? `, deleting ${sums.removed}` : ''}`;
  });
  const why = $derived(
    stopped
      ? 'Something keeps this plan from running; see below the steps.'
      : plan.run
        ? 'This plan has been run.'
        : !allowed
          ? 'Your role does not restore.'
          : unanswered
            ? `${count(unanswered, 'secret')} to type first`
            : wanting
              ? `${count(wanting, 'point')} to confirm first`
              : '',
  );

  async function restore(): Promise<void> {
    if (why || waiting) return;
    waiting = true;
    error = undefined;
    try {
      const run = await got(
        client.POST('/api/v1/plans/{number}', {
          params: { path: { number: plan.id } },
          body: {
            confirmed,
            answers,
            on_failure: goOn ? 'go-on' : 'stop',
            wait_minutes: minutes,
          },
        }),
      );
      if (plan.backup !== null && !plan.undoes) trayIsCarriedOutBy(plan.system, run.id);
      await navigate('/runs/:run', { params: { run: String(run.id) } });
    } catch (problem) {
      error = problem as Error;
    } finally {
      waiting = false;
    }
  }

  // what must be answered first has the keyboard first
  onMount(() => {
    const first = document.querySelector<HTMLElement>('[aria-label="To know first"] input');
    (first ?? document.querySelector('main'))?.focus();
  });

  function show(at: number): void {
    const step = plan.steps[at];
    if (!step) return;
    chosen = at;
    void text?.show(step.number);
  }

  function keyed(event: KeyboardEvent): void {
    if (event.key.startsWith('Arrow') && takesKeys(event.target)) return;
    if (event.key === 'ArrowDown') show(Math.min(chosen + 1, plan.steps.length - 1));
    else if (event.key === 'ArrowUp') show(Math.max(chosen - 1, 0));
    else if (event.key === 'Enter' && event.ctrlKey) void restore();
    else if (event.key === 'Escape') history.back();
    else return;
    event.preventDefault();
  }
</script>

<svelte:window onkeydown={keyed} />
<Title text="Preview for {plan.system_name}" />
<div class="grid min-h-0 grid-rows-[auto_minmax(0,1fr)_auto]">
  <header
    class="flex min-h-19 flex-wrap items-center justify-between gap-x-4 border-b border-line bg-sheet px-5 py-1.5"
  >
    <div class="min-w-64 flex-1">
      <h1 class="text-[17px] font-semibold tracking-tight">
        {plan.undoes
          ? `Undo of ${plan.takes_back ? `${count(plan.takes_back.length, 'step')} of ` : ''}run ${plan.undoes}: `
          : ''}{says}
      </h1>
      <p class="leading-tight text-ink-2">
        {#if several}From the backups of {plan.sources.map((r) => ago(r.taken_at)).join(' and ')}.
        {/if}
        {#if total(sums.left)}
          Afterwards live still differs from {several ? 'them' : source} in {count(
            total(sums.left),
            'object',
          )}
          ({inWords(sums.left)}).
        {:else if plan.backup === null}
          A copy of what another place has; all else stays as it is.
        {:else if !plan.undoes}
          Afterwards live is as {several ? 'they have it' : source}{file
            ? ' tells, in what it mentions'
            : ''}.
        {/if}
        Looked at <Ago at={plan.look.taken_at} />{stopped ? '.' : '; every step holds.'}
      </p>
    </div>
    <div class="flex flex-wrap items-center gap-2.5">
      {#if why}<span class="text-sm text-ink-2">{why}</span>{/if}
      <button class="act py-2" onclick={() => history.back()}>Back</button>
      <button
        class="act main px-4 py-2 {sums.removed ? 'border-stop! bg-stop!' : ''}"
        disabled={!!why || waiting}
        onclick={restore}
        title="Ctrl Enter"
      >
        {does}
      </button>
    </div>
  </header>
  <main tabindex="-1" class="grid min-h-0 grid-cols-[minmax(220px,26%)_minmax(0,1fr)]">
    <section class="min-h-0 overflow-auto border-r border-line px-3 py-2" aria-label="Steps">
      <p class="pb-1 text-sm text-ink-2">{count(plan.steps.length, 'step')}, in this order</p>
      {#each plan.steps as line, number (line.number)}
        <StepLine step={line} chosen={number === chosen} onchoose={() => show(number)} />
      {/each}
    </section>
    <section class="min-h-0 overflow-auto bg-sheet px-6 py-3" aria-label="What will be done">
      <div class="max-w-5xl">
        {#if error}<div class="mb-2"><Trouble {error} /></div>{/if}
        <Findings {plan} bind:confirmed bind:answers />
        <p class="mb-3 flex flex-wrap gap-x-6 gap-y-1 text-sm text-ink-2">
          <label class="flex items-center gap-1.5">
            if {plan.system_name} goes away, wait
            <input
              type="number"
              min="0"
              max="10080"
              class="w-14 rounded-[3px] border border-line bg-sheet px-1 text-right"
              bind:value={minutes}
            /> min
          </label>
          <label class="flex items-center gap-1.5">
            <input type="checkbox" class="accent-pick" bind:checked={goOn} />
            after a failure, go on with the rest
          </label>
        </p>
        <Document bind:this={text} {plan} />
      </div>
    </section>
  </main>
  <KeyHints
    keys={[
      ['↑ ↓', 'step'],
      ['Ctrl Enter', verb.toLowerCase()],
      ['Esc', 'back'],
    ]}
    note={plan.compare_and_set
      ? 'The server itself refuses a step if its object has changed meanwhile. Every run can be undone.'
      : 'Each object is read right before it is written. Every run can be undone.'}
  />
</div>
