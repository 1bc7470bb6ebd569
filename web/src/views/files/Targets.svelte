<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import type { OpenedFile } from '$lib/api/client';
  import { files, importFile } from '$lib/api/files';
  import { backups, places, systems } from '$lib/api/queries';
  import { ago } from '$lib/model/time';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { navigate } from '../../routes';

  /** What a file is compared with, where it hangs there, and whether it becomes a backup. */
  let { file }: { file: OpenedFile } = $props();

  const all = createQuery(systems);
  const fitting = $derived(all.data?.filter((s) => file.fits.includes(s.id)) ?? []);
  // a system of the name that the file tells is most likely the one that is meant
  const likely = $derived(fitting.find((s) => s.name === file.system) ?? fitting[0]);
  let chosen = $state<number>();
  const system = $derived(fitting.find((s) => s.id === (chosen ?? likely?.id)));
  let against = $state('live');
  let hangs = $state('');
  let error = $state<Error>();
  let imported = $state('');
  const known = createQuery(() => ({ ...places(system?.id ?? 0), enabled: !!system }));
  const kept = createQuery(() => ({ ...backups(system?.id ?? 0), enabled: !!system }));
  const others = createQuery(files);

  async function compare(): Promise<void> {
    if (!system) return;
    const right = against === 'live' ? system.look?.id : Number(against);
    await navigate('/sort/:system', {
      params: { system: String(system.id) },
      search: {
        left: file.id,
        ...(right && against !== 'live' ? { right } : {}),
        ...(hangs ? { hangs } : {}),
      },
    });
  }

  async function keep(): Promise<void> {
    if (!system) return;
    error = undefined;
    try {
      const made = await importFile(file.id, system.id, '');
      imported = `It is kept as backup ${made.id} of ${system.name}.`;
    } catch (problem) {
      error = problem as Error;
    }
  }
</script>

{#if all.data && !fitting.length}
  <p class="mt-2">
    No system here is of its kind{file.connector ? ` (${file.connector})` : ''}, so it can only be
    looked into.
  </p>
{:else if system}
  <!-- widths do not follow what is still being asked for, so that nothing moves beneath a click -->
  <div class="mt-2 flex min-h-9 flex-wrap items-center gap-2">
    <label class="flex items-center gap-1.5">
      Compare with
      <select
        class="field w-40"
        aria-label="System"
        bind:value={() => system.id, (id) => ((chosen = id), (against = 'live'), (hangs = ''))}
      >
        {#each fitting as one (one.id)}<option value={one.id}>{one.name}</option>{/each}
      </select>
    </label>
    <select class="field w-60" aria-label="What of it" bind:value={against}>
      <option value="live"
        >live, looked at {system.look ? ago(system.look.taken_at) : 'never'}</option
      >
      {#each kept.data ?? [] as backup (backup.id)}
        <option value={String(backup.id)}>backup of {ago(backup.taken_at)} {backup.note}</option>
      {/each}
      {#each others.data?.filter((f) => f.id !== file.id) ?? [] as other (other.id)}
        <option value={String(other.id)}>file {other.name}</option>
      {/each}
    </select>
    <label class="flex items-center gap-1.5">
      put beneath
      <select class="field w-60 font-mono text-sm" bind:value={hangs}>
        <option value="">where the file says</option>
        {#each known.data ?? [] as place (place.written)}
          <option value={JSON.stringify(place.path)}>{place.written}</option>
        {/each}
      </select>
    </label>
    <button class="act main" disabled={against === 'live' && !system.look} onclick={compare}
      >Compare</button
    >
    {#if file.whole}
      <button class="act ml-auto" onclick={keep}>Keep as a backup of {system.name}</button>
    {/if}
  </div>
  {#if against === 'live' && !system.look}
    <p class="mt-1 text-sm text-ink-2">
      {system.name} has not been looked at yet. On <a class="link" href="/">Watch</a>, choose it and
      press <kbd>L</kbd>.
    </p>
  {/if}
  {#if error}<div class="mt-2"><Trouble {error} /></div>{/if}
  {#if imported}<p class="mt-1 font-semibold text-pick" role="status">{imported}</p>{/if}
{:else}
  <div class="mt-2 min-h-9 text-ink-2">Asking which systems are of its kind…</div>
{/if}
