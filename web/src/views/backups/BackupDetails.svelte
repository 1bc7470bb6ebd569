<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import type { Backup, System } from '$lib/api/client';
  import { changeBackup, standing, verifyBackup } from '$lib/api/practice';
  import { session } from '$lib/api/queries';
  import type { AskedFor } from '$lib/model/asked';
  import { count } from '$lib/model/differences';
  import { createDoing } from '$lib/model/doing.svelte';
  import { bytes } from '$lib/model/time';
  import Ago from '$lib/parts/Ago.svelte';
  import SinceLink from '$lib/parts/SinceLink.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import ExportDialog from '../sort/ExportDialog.svelte';
  import DeleteSheet from './DeleteSheet.svelte';
  import PlacesList from './PlacesList.svelte';

  /** How one backup stands, and what can be done with it. */
  interface Props {
    system: System;
    backup: Backup;
    why: string[];
    onasked: (asked: AskedFor) => void;
  }
  let { system, backup, why, onasked }: Props = $props();

  const found = createQuery(() => standing(backup.id));
  const person = createQuery(session);
  let exporting = $state(false);
  let deleting = $state(false);
  const doing = createDoing();

  // what is asked for is said now: it may have to wait its turn
  const change = (to: { pinned: boolean } | { baseline: boolean }): void =>
    doing.run(JSON.stringify(to), () => changeBackup(backup.id, to));

  const verify = (): void =>
    doing.run('verify', async () =>
      onasked({ number: await verifyBackup(backup.id), kind: 'verify', at: [] }),
    );
</script>

<div class="flex flex-wrap gap-x-3.5 gap-y-1">
  <SinceLink
    system={system.id}
    backup={backup.id}
    at={backup.at}
    label="what has changed live since?"
  />
  <button class="link" onclick={verify}>read it again</button>
  <button
    class="link"
    aria-pressed={backup.pinned}
    onclick={() => change({ pinned: !backup.pinned })}
    >{backup.pinned ? 'take the pin away' : 'pin'}</button
  >
  {#if !backup.at.length && !backup.narrowed}
    <button
      class="link"
      aria-pressed={backup.baseline}
      onclick={() => change({ baseline: !backup.baseline })}
      >{backup.baseline ? 'it is the baseline no more' : 'make it the baseline'}</button
    >
  {/if}
  <button class="link" onclick={() => (exporting = true)}>save to a file…</button>
  {#if person.data?.role === 'administrator'}
    <button class="link" onclick={() => (deleting = true)}>delete…</button>
  {/if}
</div>
{#if doing.error ?? found.error}<Trouble error={(doing.error ?? found.error)!} />{/if}
<div class="mt-2 grid grid-cols-[minmax(0,1fr)_minmax(0,1fr)] gap-x-8 text-sm">
  <div>
    <p class="text-ink-2">
      {#if backup.verified_at}
        All it stands on was read and hashed <Ago at={backup.verified_at} />{backup.damage_count
          ? '.'
          : ': as it was kept.'}
      {:else}
        It was not read again since it was made.
      {/if}
      {#if why.length}It stays: {why.join('; ')}.{/if}
    </p>
    {#if found.data}
      <PlacesList
        title="{count(found.data.damage_count, 'place')} cannot be read"
        places={found.data.damage}
        total={found.data.damage_count}
        grave
      />
      <PlacesList
        title={count(found.data.problem_count, 'problem')}
        places={found.data.problems}
        total={found.data.problem_count}
      />
    {:else if !found.error}
      <p class="text-ink-2" role="status">Looking into it…</p>
    {/if}
  </div>
  {#if found.data?.kinds.length}
    <table class="h-fit w-full max-w-md">
      <tbody>
        {#each found.data.kinds.slice(0, 8) as kind (kind.name)}
          <tr>
            <td class="pr-3">{kind.label}</td>
            <td class="pr-3 text-right font-mono">{kind.objects.toLocaleString('en')}</td>
            <td class="text-right font-mono text-ink-2">{bytes(kind.bytes)}</td>
          </tr>
        {/each}
        {#if found.data.kinds.length > 8}
          <tr
            ><td colspan="3" class="text-ink-2">and {found.data.kinds.length - 8} more kinds</td
            ></tr
          >
        {/if}
      </tbody>
    </table>
  {/if}
</div>
{#if exporting}
  <ExportDialog bind:open={exporting} backup={backup.id} path={backup.at} />
{/if}
<DeleteSheet bind:open={deleting} {backup} />
