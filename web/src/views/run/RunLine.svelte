<script lang="ts">
  import type { RunBrief } from '$lib/api/client';
  import { plainName } from '$lib/model/paths';
  import { exact } from '$lib/model/time';

  /** What a run was to change and what became of it, in one line. */
  let { run }: { run: RunBrief } = $props();

  const well = $derived(['verified', 'unchanged'].includes(run.outcome));
  const OUTCOMES: Record<string, string> = {
    verified: 'verified',
    unchanged: 'was so already',
    partial: 'stopped half-way',
    failed: 'nothing was done',
    cancelled: 'cancelled',
    unknown: 'not known',
  };
  const outcome = $derived(
    run.interrupted
      ? 'interrupted'
      : run.outcome
        ? (OUTCOMES[run.outcome] ?? run.outcome)
        : run.waits_until
          ? 'waits for the system'
          : run.state,
  );
  const hue = $derived(well ? 'var(--pick)' : run.outcome ? 'var(--stop)' : 'var(--note)');
  const what = $derived(
    (
      [
        [run.planned.changed, 'changed'],
        [run.planned.created, 'created'],
        [run.planned.removed, 'deleted'],
      ] as [number, string][]
    )
      .filter(([number]) => number)
      .map(([number, word]) => `${number.toLocaleString('en')} ${word}`)
      .join(', '),
  );
  const count = $derived(
    (run.planned.changed ?? 0) + (run.planned.created ?? 0) + (run.planned.removed ?? 0),
  );
  const names = $derived(run.names.map(plainName));
  const time = $derived(
    new Date(run.started_at).toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit' }),
  );
</script>

<a
  href="/runs/{run.id}"
  class="grid grid-cols-[52px_minmax(90px,150px)_minmax(0,1fr)_150px_130px_44px] items-baseline gap-x-3 border-b border-line py-1.5 hover:bg-sheet"
>
  <time class="font-mono text-sm text-ink-2" datetime={run.started_at} title={exact(run.started_at)}
    >{time}</time
  >
  <b class="truncate font-semibold">{run.system_name}</b>
  <span class="min-w-0">
    <span class="block truncate">
      {#if names.length}{names.join(', ')}{count > names.length
          ? ` and ${(count - names.length).toLocaleString('en')} more`
          : ''}{:else}{what || 'nothing'}{/if}
    </span>
    <small class="block truncate text-xs text-ink-2"
      >{[
        run.undoes ? `undo of run ${run.undoes}` : '',
        names.length ? what : '',
        run.undone_by
          ? `undone by run ${run.undone_by}`
          : run.taken_back.length
            ? `${run.taken_back.length} of its steps undone`
            : '',
        run.message && !well ? run.message : '',
      ]
        .filter(Boolean)
        .join(' · ')}</small
    >
  </span>
  <span class="font-semibold" style:color={hue}>
    {outcome}
    {#if run.done < run.steps && run.outcome !== 'unchanged'}
      <small class="block text-xs font-normal">{run.done} of {run.steps} steps</small>
    {/if}
  </span>
  <span class="truncate text-ink-2">{run.by || 'the command line'}</span>
  <span class="text-right font-mono text-sm text-ink-3">{run.id}</span>
</a>
