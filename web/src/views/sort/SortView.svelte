<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { searchParams } from 'sv-router';
  import { systems } from '$lib/api/queries';
  import type { AskedFor } from '$lib/model/asked';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { route } from '../../routes';
  import Workspace from './Workspace.svelte';

  const all = createQuery(systems);
  let asked = $state<{ system: number; what: AskedFor }>();
  const number = $derived(Number(route.params.system));
  const system = $derived(all.data?.find((s) => s.id === number));
  const newest = $derived(system?.backups.find((b) => !b.at.length) ?? system?.backups[0]);
  const left = $derived(Number(searchParams.get('left') ?? newest?.id ?? 0));
  const right = $derived(Number(searchParams.get('right') ?? system?.look?.id ?? 0));

  // The newest backup is what one arrives at. One that is made meanwhile takes no place of its own
  // accord: it may hold the very state that is being put right.
  $effect(() => {
    if (left && !searchParams.get('left'))
      searchParams.set('left', String(left), { replace: true });
  });
</script>

{#if all.error}
  <div class="p-6"><Trouble error={all.error} /></div>
{:else if all.data && !system}
  <p class="p-6">There is no such system. <a class="link" href="/">Back to Watch</a></p>
{:else if system && (!left || !right)}
  <div class="max-w-lg p-6">
    <p class="font-semibold">
      {system.name} has {left ? 'not been looked at' : 'no backup'} yet, so there is nothing to compare.
    </p>
    <p class="mt-1 text-ink-2">
      On <a class="link" href="/">Watch</a>, choose it and press
      <kbd>{left ? 'L' : 'B'}</kbd>.
    </p>
  </div>
{:else if system}
  {#key `${system.id}:${left}:${searchParams.get('right') ?? 'live'}`}
    <Workspace
      {system}
      {left}
      {right}
      bind:asked={
        () => (asked?.system === system.id ? asked.what : undefined),
        (what) => (asked = what && { system: system.id, what })
      }
    />
  {/key}
{/if}
