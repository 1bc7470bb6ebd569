<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { runs } from '$lib/api/queries';
  import Ago from '$lib/parts/Ago.svelte';
  import KeyHints from '$lib/parts/KeyHints.svelte';
  import Title from '$lib/parts/Title.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';

  const all = createQuery(runs);
  const hue = (outcome: string): string =>
    outcome === 'verified' || outcome === 'unchanged'
      ? 'var(--pick)'
      : outcome
        ? 'var(--stop)'
        : 'var(--note)';
</script>

<Title text="Runs" />
<div class="grid min-h-0 grid-rows-[minmax(0,1fr)_auto]">
  <main tabindex="-1" class="overflow-auto px-5 py-3">
    <h1 class="mb-2 text-xl font-semibold tracking-tight">Runs</h1>
    {#if all.error}<Trouble error={all.error} />{/if}
    {#if all.data?.length}
      <table class="w-full max-w-5xl text-left">
        <thead class="border-b border-line-strong text-sm text-ink-2">
          <tr>
            {#each ['run', 'when', 'system', 'what', 'steps', 'outcome', 'by'] as head (head)}
              <th class="py-1 pr-4 font-normal">{head}</th>
            {/each}
          </tr>
        </thead>
        <tbody>
          {#each all.data as run (run.id)}
            <tr class="border-b border-line hover:bg-sheet">
              <td class="py-1.5 pr-4"
                ><a class="link font-mono" href="/runs/{run.id}">{run.id}</a></td
              >
              <td class="pr-4"><Ago at={run.started_at} /></td>
              <td class="pr-4">{run.system_name}</td>
              <td class="pr-4">
                {run.undoes ? `undo of run ${run.undoes}` : 'restore'}{#if run.undone_by}<span
                    class="text-ink-2">, undone by run {run.undone_by}</span
                  >{/if}
              </td>
              <td class="pr-4 font-mono text-sm">{run.done} / {run.steps}</td>
              <td class="pr-4 font-semibold" style:color={hue(run.outcome)}>
                {run.interrupted
                  ? 'interrupted'
                  : run.outcome === 'unknown'
                    ? 'not known'
                    : run.outcome || (run.waits_until ? 'waits' : run.state)}
              </td>
              <td class="text-ink-2">{run.by || 'the command line'}</td>
            </tr>
          {/each}
        </tbody>
      </table>
    {:else if all.data}
      <p class="text-ink-2">
        Nothing has been restored yet. On Sort, pick what should go back, preview it, and restore;
        the run then stands here with its report and the way back.
      </p>
    {/if}
  </main>
  <KeyHints keys={[]} note="Every run can be undone; the undo has a preview of its own." />
</div>
