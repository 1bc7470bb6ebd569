<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { systems } from '$lib/api/queries';
  import { count } from '$lib/model/differences';
  import { until } from '$lib/model/time';
  import Ago from '$lib/parts/Ago.svelte';

  /** What is known of a system without asking it: when it was looked at, and how it is kept. */
  let { system: number }: { system: number } = $props();

  const all = createQuery(systems);
  const system = $derived(all.data?.find((one) => one.id === number));
  const newest = $derived(system?.backups.find((one) => !one.at.length));
  const nextDue = $derived(
    system?.schedules
      .map((one) => one.next_at)
      .filter((at) => at !== null)
      .sort()[0],
  );
</script>

{#if system}
  <ul class="mb-3 grid gap-0.5">
    {#if system.failed}
      <li class="border-l-3 border-stop pl-2">
        <b class="font-semibold">The last {system.failed.kind} failed.</b>
        {system.failed.message}
      </li>
    {/if}
    <li>
      {#if system.look}
        {count(system.look.objects, 'object')}, looked at <Ago at={system.look.taken_at} />
      {:else}
        <span class="text-ink-2">never looked at</span>
      {/if}
    </li>
    <li>
      {#if newest}kept <Ago at={newest.taken_at} />{:else}<b class="font-semibold text-stop"
          >never kept as a whole</b
        >{/if},
      {#if nextDue}<a class="link" href="/backups/{system.id}?sheet=schedules"
          >next {until(nextDue)}</a
        >{:else}<a class="link" href="/backups/{system.id}?sheet=schedules">no schedule</a>{/if}
    </li>
  </ul>
{/if}
