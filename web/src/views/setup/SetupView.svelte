<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { allSettings, connectors, systems } from '$lib/api/queries';
  import type { System } from '$lib/api/client';
  import Ago from '$lib/parts/Ago.svelte';
  import KeyHints from '$lib/parts/KeyHints.svelte';
  import Title from '$lib/parts/Title.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { route } from '../../routes';
  import Copies from './Copies.svelte';
  import FormerNames from './FormerNames.svelte';
  import SystemForm from './SystemForm.svelte';

  const kinds = createQuery(connectors);
  const all = createQuery(allSettings);
  const watched = createQuery(systems);
  const known = (number: number): System | undefined =>
    watched.data?.find((one) => one.id === number);
  const asked = $derived(route.params.system);
  const chosen = $derived(all.data?.find((s) => `${s.id}` === asked));
  const adding = $derived(asked === 'new' || all.data?.length === 0);
  const label = (name: string): string => kinds.data?.find((k) => k.name === name)?.label ?? name;
</script>

<Title text="Setup" />
<div class="grid min-h-0 grid-rows-[minmax(0,1fr)_auto]">
  <main tabindex="-1" class="grid min-h-0 grid-cols-[minmax(200px,290px)_minmax(0,1fr)]">
    <nav class="min-h-0 overflow-auto border-r border-line px-4 py-3" aria-label="Systems">
      <h1 class="mb-2 text-xl font-semibold tracking-tight">Systems</h1>
      {#each all.data ?? [] as system (system.id)}
        <a
          href="/setup/{system.id}"
          aria-current={system === chosen ? 'page' : undefined}
          class="block border-b border-line px-2 py-1.5 {system === chosen
            ? 'bg-pick-wash'
            : 'hover:bg-sunk'}"
        >
          <b class="font-semibold">{system.name}</b>
          <span class="block truncate text-sm text-ink-2">{label(system.connector)}</span>
          {#if known(system.id)?.failed}
            <span class="block truncate text-xs font-semibold text-stop"
              >last {known(system.id)!.failed!.kind} failed</span
            >
          {:else if known(system.id)?.look}
            <span class="block truncate text-xs text-ink-2"
              >answered <Ago at={known(system.id)!.look!.taken_at} /></span
            >
          {/if}
        </a>
      {/each}
      <a class="act mt-3 inline-block" href="/setup/new">Add a system</a>
      <p class="mt-4 border-t border-line pt-2">
        <a class="link" href="/messages">Who is told what wants attention</a>
      </p>
    </nav>
    <section class="min-h-0 overflow-auto bg-sheet px-5 pt-3" aria-label="System">
      {#if kinds.error ?? all.error}
        <Trouble error={(kinds.error ?? all.error)!} />
      {:else if kinds.data && all.data && (chosen || adding)}
        {#key asked}
          <SystemForm kinds={kinds.data} settings={chosen} />
          {#if chosen}
            <FormerNames system={chosen.id} name={chosen.name} />
            <Copies system={chosen.id} name={chosen.name} />
          {/if}
        {/key}
      {:else if all.data}
        <p class="max-w-prose text-ink-2">
          Choose a system to see how it is reached, or add one. What you enter is tried before
          anything is kept, and trying never writes to the live system.
        </p>
      {/if}
    </section>
  </main>
  <KeyHints
    keys={[]}
    note="Passwords are kept encrypted and never shown again. Only administrators see this page."
  />
</div>
