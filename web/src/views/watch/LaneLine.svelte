<script lang="ts">
  import type { System } from '$lib/api/client';
  import { count } from '$lib/model/differences';
  import { differing } from '$lib/model/watching';
  import { until } from '$lib/model/time';
  import Ago from '$lib/parts/Ago.svelte';
  import Tally from '$lib/parts/Tally.svelte';
  import Working from '$lib/parts/Working.svelte';

  /** A system in one line, where there are many. */
  interface Props {
    system: System;
    chosen: boolean;
    onchoose: () => void;
  }
  let { system, chosen, onchoose }: Props = $props();

  const newest = $derived(system.backups.find((b) => !b.at.length));
  const nextDue = $derived(
    system.schedules
      .map((one) => one.next_at)
      .filter((at) => at !== null)
      .sort()[0],
  );
</script>

<!-- svelte-ignore a11y_click_events_have_key_events, a11y_no_noninteractive_element_interactions -->
<article
  class="grid min-h-7 grid-cols-[minmax(110px,170px)_minmax(80px,130px)_minmax(0,1fr)_130px_120px] items-center gap-x-2 border-b border-line pl-2 text-sm {chosen
    ? 'bg-sheet shadow-[inset_3px_0_0_var(--ink)]'
    : ''}"
  aria-label={system.name}
  onclick={onchoose}
>
  <a
    href="/sort/{system.id}"
    class="truncate text-base font-semibold hover:underline"
    title="{system.name}, {count(system.objects, 'object')}">{system.name}</a
  >
  <span class="truncate text-ink-2" title={system.tags.join(', ')}
    >{system.tags.join(', ') || system.connector_label}</span
  >
  <span class="min-w-0">
    {#if system.trouble}
      <span class="text-stop">{system.trouble}</span>
    {:else if system.work.length}
      <Working {system} />
    {:else if !system.look}
      <span class="text-ink-2">not looked at yet</span>
    {:else if differing(system)}
      <Tally tally={system.look.changes} />
    {:else}
      <span class="text-ink-2">as in the newest backup</span>
    {/if}
  </span>
  <span class="truncate text-ink-2">
    {#if system.look}looked at <Ago at={system.look.taken_at} />{/if}
  </span>
  <a class="truncate text-ink-2 hover:underline" href="/backups/{system.id}">
    {#if !newest}no backup{:else if nextDue}next {until(nextDue)}{:else}kept <Ago
        at={newest.taken_at}
      />{/if}
  </a>
</article>
