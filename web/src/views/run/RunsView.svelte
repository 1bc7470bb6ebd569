<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { searchParams } from 'sv-router';
  import type { RunBrief } from '$lib/api/client';
  import { runs } from '$lib/api/running';
  import { setParameter } from '$lib/model/looked.svelte';
  import KeyHints from '$lib/parts/KeyHints.svelte';
  import Title from '$lib/parts/Title.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import RunLine from './RunLine.svelte';

  const all = createQuery(runs);
  const only = $derived(searchParams.get('system')?.toString() ?? '');
  const names = $derived([...new Set(all.data?.map((run) => run.system_name) ?? [])].sort());
  const shown = $derived(all.data?.filter((run) => !only || run.system_name === only) ?? []);

  /** Whether somebody has to do something about a run: it waits, stopped, or is not known. */
  function wants(run: RunBrief): boolean {
    if (run.undone_by) return false;
    if (run.state !== 'finished') return true;
    return ['partial', 'unknown'].includes(run.outcome);
  }
  const wanting = $derived(shown.filter(wants));
  const others = $derived(shown.filter((run) => !wants(run)));
  const dayOf = (run: RunBrief): string => new Date(run.started_at).toDateString();
  const days = $derived([...new Set(others.map(dayOf))]);

  function dayInWords(day: string): string {
    const now = new Date();
    if (day === now.toDateString()) return 'Today';
    if (day === new Date(now.getTime() - 86_400_000).toDateString()) return 'Yesterday';
    return new Date(day).toLocaleDateString('en-GB', {
      weekday: 'long',
      day: 'numeric',
      month: 'long',
    });
  }
</script>

<Title text="Runs" />
<div class="grid min-h-0 grid-rows-[minmax(0,1fr)_auto]">
  <main tabindex="-1" class="overflow-auto px-5 py-3">
    <div class="mb-2 flex flex-wrap items-baseline gap-x-4">
      <h1 class="text-xl font-semibold tracking-tight">Runs</h1>
      <span class="text-ink-2">what was changed through Keep Sort</span>
      {#if names.length > 1}
        <select
          class="field ml-auto"
          aria-label="Only runs of"
          value={only}
          onchange={(event) => setParameter('system', event.currentTarget.value)}
        >
          <option value="">of all systems</option>
          {#each names as name (name)}<option value={name}>of {name}</option>{/each}
        </select>
      {/if}
    </div>
    {#if all.error}<Trouble error={all.error} />{/if}
    {#if wanting.length}
      <section class="mb-4 border-l-4 border-stop pl-3" aria-label="Runs that want somebody">
        <h2 class="font-semibold">Not at an end, or not known</h2>
        {#each wanting as run (run.id)}<RunLine {run} />{/each}
      </section>
    {/if}
    {#each days as day (day)}
      <section aria-label="Runs of {dayInWords(day)}">
        <h2 class="mt-3 border-b border-line-strong pb-0.5 text-sm text-ink-2">
          {dayInWords(day)}
        </h2>
        {#each others.filter((run) => dayOf(run) === day) as run (run.id)}<RunLine {run} />{/each}
      </section>
    {/each}
    {#if all.data && !all.data.length}
      <p class="text-ink-2">
        Nothing has been restored yet. On Sort, pick what should go back, preview it, and restore;
        the run then stands here with its report and the way back.
      </p>
    {/if}
  </main>
  <KeyHints
    keys={[['?', 'help']]}
    note="Every run can be undone; the undo has a preview of its own."
  />
</div>
