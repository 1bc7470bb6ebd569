<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { askWork, session, systems } from '$lib/api/queries';
  import type { AskedFor } from '$lib/model/asked';
  import { takesKeys } from '$lib/model/keys';
  import Ago from '$lib/parts/Ago.svelte';
  import KeyHints from '$lib/parts/KeyHints.svelte';
  import NoWorker from '$lib/parts/NoWorker.svelte';
  import Title from '$lib/parts/Title.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { navigate } from '../../routes';
  import Attention from './Attention.svelte';
  import Lane from './Lane.svelte';

  const all = createQuery(systems);
  const person = createQuery(session);
  let chosen = $state(0);
  let error = $state<Error>();
  let asked = $state<Record<number, AskedFor>>({});

  async function work(system: number, kind: 'backup' | 'look'): Promise<void> {
    error = undefined;
    try {
      asked[system] = { number: await askWork(system, kind), kind, at: [] };
    } catch (problem) {
      error = problem as Error;
    }
  }

  async function keyed(event: KeyboardEvent): Promise<void> {
    const list = all.data ?? [];
    const system = list[chosen];
    if (!system || event.ctrlKey || event.metaKey || event.altKey) return;
    if (takesKeys(event.target)) return;
    // a button or a link that has focus keeps what it does itself
    const own = event.target instanceof HTMLElement && event.target.closest('button, a');
    if (own && event.key === 'Enter') return;
    error = undefined;
    try {
      if (event.key === 'ArrowDown') chosen = Math.min(chosen + 1, list.length - 1);
      else if (event.key === 'ArrowUp') chosen = Math.max(chosen - 1, 0);
      else if (event.key === 'Enter')
        await navigate('/sort/:system', { params: { system: String(system.id) } });
      else if (event.key.toLowerCase() === 'b') await work(system.id, 'backup');
      else if (event.key.toLowerCase() === 'l') await work(system.id, 'look');
      else return;
      event.preventDefault();
    } catch (problem) {
      error = problem as Error;
    }
  }
</script>

<svelte:window onkeydown={keyed} />
<Title text="Watch" />
<div class="grid min-h-0 grid-rows-[minmax(0,1fr)_auto]">
  <main
    tabindex="-1"
    class="grid min-h-0 grid-cols-[minmax(0,1fr)_300px] max-[999px]:block max-[999px]:overflow-auto"
  >
    <section class="overflow-auto max-[999px]:overflow-visible px-4.5 py-1.5" aria-label="Systems">
      <h1 class="sr-only">Watch</h1>
      <NoWorker />
      {#if error}<div class="py-2"><Trouble {error} /></div>{/if}
      {#if all.error}
        <Trouble error={all.error} />
        {#if all.data}
          <p class="py-1 text-ink-2">
            What stands below is what was known <Ago
              at={new Date(all.dataUpdatedAt).toISOString()}
            />.
          </p>
        {/if}
      {/if}
      {#if !all.data && !all.error}
        <p class="pt-3 text-ink-2" role="status">Asking what is known of the systems…</p>
      {:else if all.data?.length}
        <div class="grid grid-cols-[176px_minmax(0,1fr)_300px] pt-2 pb-1 text-xs text-ink-2">
          <span>{all.data.length === 1 ? 'one system' : `${all.data.length} systems`}</span>
          <span>backups, oldest first</span>
          <span>live, against the newest backup</span>
        </div>
        {#each all.data as system, number (system.id)}
          <Lane
            {system}
            chosen={number === chosen}
            asked={asked[system.id]}
            onchoose={() => (chosen = number)}
            onwork={(kind) => void work(system.id, kind)}
            onseen={() => delete asked[system.id]}
          />
        {/each}
      {:else if all.data}
        <div class="max-w-xl pt-6">
          <p class="font-semibold">No system is kept yet.</p>
          <p class="mt-1 text-ink-2">
            {#if person.data?.role === 'administrator'}
              <a class="link" href="/setup/new">Add one in Setup</a>, then its lane stands here.
            {:else}
              An administrator can add one in Setup; then its lane stands here.
            {/if}
          </p>
        </div>
      {/if}
    </section>
    <Attention />
  </main>
  <KeyHints
    keys={[
      ['↑ ↓', 'system'],
      ['Enter', 'sort'],
      ['B', 'back up now'],
      ['L', 'look again'],
    ]}
    note="A tick is a backup: the higher, the more had changed. A gap in it: problems. A flag: pinned. A bar: the baseline."
  />
</div>
