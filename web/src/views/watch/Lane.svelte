<script lang="ts">
  import type { System } from '$lib/api/client';
  import { count, total } from '$lib/model/differences';
  import type { AskedFor } from '$lib/model/asked';
  import { plainName } from '$lib/model/paths';
  import { until } from '$lib/model/time';
  import Asked from '$lib/parts/Asked.svelte';
  import Ago from '$lib/parts/Ago.svelte';
  import Mark from '$lib/parts/Mark.svelte';
  import SinceLink from '$lib/parts/SinceLink.svelte';
  import Tally from '$lib/parts/Tally.svelte';
  import Timeline from '$lib/parts/Timeline.svelte';
  import Working from '$lib/parts/Working.svelte';
  import { navigate } from '../../routes';
  import WatchedSheet from './WatchedSheet.svelte';

  interface Props {
    system: System;
    chosen: boolean;
    /** What was asked for from here. */
    asked: AskedFor | undefined;
    onchoose: () => void;
    onwork: (kind: 'backup' | 'look') => void;
    onseen: () => void;
  }
  let { system, chosen, asked, onchoose, onwork, onseen }: Props = $props();

  let width = $state(560);
  let watching = $state(false);
  const whole = $derived(system.backups.filter((b) => !b.at.length));
  const offBaseline = $derived(total(system.off_baseline));
  const nextDue = $derived(
    system.schedules
      .map((one) => one.next_at)
      .filter((at) => at !== null)
      .sort()[0],
  );
  const differing = $derived(system.look ? total(system.look.changes) : 0);
</script>

<!-- svelte-ignore a11y_click_events_have_key_events, a11y_no_noninteractive_element_interactions -->
<article
  class="grid min-h-20 grid-cols-[158px_minmax(0,1fr)_286px] items-center gap-y-1 border-b border-line py-1.5 pl-2
    {chosen ? 'bg-sheet shadow-[inset_3px_0_0_var(--ink)]' : ''}"
  aria-label={system.name}
  onclick={onchoose}
>
  <div>
    <a href="/sort/{system.id}" class="text-lg font-semibold hover:underline">{system.name}</a>
    <div class="text-sm text-ink-2">
      {system.connector_label}<br />{count(system.objects, 'object')}
    </div>
    <a class="block text-sm text-ink-2 hover:underline" href="/backups/{system.id}?sheet=schedules">
      {#if nextDue}next {until(nextDue)}{:else if system.schedules.length}schedules paused{:else if !system.trouble}no
        schedule{/if}
    </a>
  </div>
  <div bind:clientWidth={width} class="min-w-0">
    {#if whole.length}
      <Timeline backups={whole} {width} height={58} />
    {:else if !system.trouble}
      <span class="text-ink-2">No backup yet. <kbd>B</kbd> makes the first.</span>
    {/if}
    {#if system.sample.length}
      <!-- as many as fit on a line: the numbers beside them tell of all -->
      <ul class="flex h-5 flex-wrap gap-x-3.5 overflow-hidden pl-1.5 text-sm">
        {#each system.sample as one (JSON.stringify(one))}
          <li>
            <a
              class="flex items-center gap-1.5 hover:underline"
              title={one.state}
              href="/sort/{system.id}?at={encodeURIComponent(JSON.stringify(one.path))}"
              ><Mark state={one.state} size={12} />{plainName(one.name)}</a
            >
          </li>
        {/each}
      </ul>
    {/if}
  </div>
  <div class="grid gap-0.5 pl-3">
    {#if system.trouble}
      <span class="border-l-3 border-stop pl-2">{system.trouble}</span>
    {:else if !system.look}
      <span class="text-ink-2">not looked at yet</span>
    {:else if differing}
      <Tally tally={system.look.changes} />
    {:else}
      <span class="font-semibold">as in the newest backup</span>
    {/if}
    {#if system.baseline}
      <a
        class="flex items-center gap-2 text-sm hover:underline"
        title="Sort from the good state that {system.name} is measured by"
        href="/sort/{system.id}?left={system.baseline.id}"
      >
        {#if !system.look}
          <span class="text-ink-2">baseline: not looked at yet</span>
        {:else if offBaseline}
          <span class="text-ink-2">{count(offBaseline, 'object')} off the baseline</span>
        {:else}
          <span class="text-ink-2">as in the baseline</span>
        {/if}
      </a>
    {/if}
    {#if !asked}<Working {system} />{/if}
    {#if asked}
      <Asked
        {asked}
        {system}
        onagain={() => asked.kind !== 'verify' && onwork(asked.kind)}
        onshow={(record) =>
          navigate('/sort/:system', {
            params: { system: String(system.id) },
            search: asked.kind === 'look' ? {} : { left: record },
          })}
        ondone={onseen}
      />
    {/if}
    <div class="flex flex-wrap items-center gap-x-2.5 text-sm">
      {#if system.look}
        <span class="text-ink-2">seen <Ago at={system.look.taken_at} /></span>
      {/if}
      <button class="link" onclick={() => onwork('look')}>look again</button>
      <button class="link" onclick={() => onwork('backup')}>back up</button>
      <button class="link" title="Tags, and what is urgent of it" onclick={() => (watching = true)}
        >what matters</button
      >
    </div>
  </div>
  {#if system.kept}
    <p class="col-span-3 pl-[170px] text-sm text-ink-2">
      {system.kept.at_written} was kept <Ago at={system.kept.taken_at} />{system.kept.note
        ? ` (“${system.kept.note}”)`
        : ''}:
      <SinceLink system={system.id} backup={system.kept.id} at={system.kept.at} />
    </p>
  {/if}
</article>
{#if watching}<WatchedSheet bind:open={watching} {system} />{/if}
