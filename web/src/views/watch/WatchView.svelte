<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { askWork, attention, session, systems } from '$lib/api/queries';
  import type { AskedFor } from '$lib/model/asked';
  import { takesKeys } from '$lib/model/keys';
  import Ago from '$lib/parts/Ago.svelte';
  import KeyHints from '$lib/parts/KeyHints.svelte';
  import NoWorker from '$lib/parts/NoWorker.svelte';
  import Title from '$lib/parts/Title.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { navigate } from '../../routes';
  import Attention from './Attention.svelte';
  import Systems from './Systems.svelte';

  const all = createQuery(systems);
  const person = createQuery(session);
  const wanting = createQuery(attention);
  let error = $state<Error>();
  let asked = $state<Record<number, AskedFor>>({});
  let lanes = $state<Systems>();

  async function work(systems: number[], kind: 'backup' | 'look'): Promise<void> {
    error = undefined;
    for (const system of systems) {
      try {
        asked[system] = { number: await askWork(system, kind), kind, at: [] };
      } catch (problem) {
        // the others are asked for nevertheless
        error = problem as Error;
      }
    }
  }

  function keyed(event: KeyboardEvent): void {
    if (event.ctrlKey || event.metaKey || event.altKey || takesKeys(event.target)) return;
    // a button or a link that has focus keeps what it does itself
    const own = event.target instanceof HTMLElement && event.target.closest('button, a');
    if (own && event.key === 'Enter') return;
    const pressed = event.key.length === 1 ? event.key.toLowerCase() : event.key;
    if (lanes?.key(pressed)) event.preventDefault();
  }
</script>

<svelte:window onkeydown={keyed} />
<Title text="Watch" />
<div class="grid min-h-0 grid-rows-[minmax(0,1fr)_auto]">
  <main
    tabindex="-1"
    class="grid min-h-0 grid-cols-[minmax(0,1fr)_minmax(300px,28%)] max-[999px]:block max-[999px]:overflow-auto"
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
        <Systems
          bind:this={lanes}
          systems={all.data}
          ranked={wanting.data ?? []}
          {asked}
          onwork={(systems, kind) => void work(systems, kind)}
          onseen={(system) => delete asked[system]}
          onopen={(system) =>
            void navigate('/sort/:system', { params: { system: String(system) } })}
        />
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
      ['X', 'choose several'],
      ['F', 'filter'],
      ['G', 'go to a system'],
      ['?', 'help'],
    ]}
    note="A tick is a backup: the higher, the more had changed."
  />
</div>
