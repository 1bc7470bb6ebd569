<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import type { Backup, System } from '$lib/api/client';
  import { apart, changeBackup } from '$lib/api/practice';
  import type { AskedFor } from '$lib/model/asked';
  import { count, total } from '$lib/model/differences';
  import { bytes, until } from '$lib/model/time';
  import { plainName } from '$lib/model/paths';
  import Ago from '$lib/parts/Ago.svelte';
  import Tally from '$lib/parts/Tally.svelte';
  import BackupDetails from './BackupDetails.svelte';

  interface Props {
    system: System;
    backup: Backup;
    /** What keeps it, by the policy. */
    why: string[];
    /** When it goes: a time, or words; empty where it stays. */
    fate: string;
    pair: number[];
    /** Whether how far live is from it is asked for without being opened. */
    near: boolean;
    onasked: (asked: AskedFor) => void;
  }
  let { system, backup, why, fate, pair = $bindable(), near, onasked }: Props = $props();

  let asking = $state(false);
  const wanted = $derived(near || asking);
  const away = createQuery(() => ({ ...apart(backup.id), enabled: wanted }));
  let editing = $state(false);
  let open = $state(false);
  // svelte-ignore state_referenced_locally
  let note = $state(backup.note);
  // the zone goes without saying where it is the person's own
  const scheduled = $derived(
    backup.scheduled.replace(` (${Intl.DateTimeFormat().resolvedOptions().timeZone})`, ''),
  );
  const goes = $derived(fate.startsWith('goes') ? fate : fate && `goes next, ${until(fate)}`);

  async function rename(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    await changeBackup(backup.id, { note });
    editing = false;
  }

  function choose(): void {
    pair = pair.includes(backup.id)
      ? pair.filter((id) => id !== backup.id)
      : [...pair, backup.id].slice(-2);
  }
</script>

<tr class="{open ? 'bg-sheet' : 'border-b border-line'} align-top hover:bg-sheet">
  <td class="pt-2">
    <input
      type="checkbox"
      class="accent-pick"
      checked={pair.includes(backup.id)}
      onchange={choose}
      aria-label="Choose backup {backup.id} to compare"
    />
  </td>
  <td class="py-1.5 pr-4 whitespace-nowrap">
    <Ago at={backup.taken_at} />
    {#if backup.at.length}
      <small class="block text-xs text-ink-2">only {plainName(backup.at.at(-1)!)}</small>
    {:else if backup.left_out.length}
      <small class="block text-xs text-ink-2" title={backup.left_out.join(', ')}
        >without {backup.left_out.length === 1
          ? backup.left_out[0]
          : `${backup.left_out.length} kinds or places`}</small
      >
    {/if}
  </td>
  <td class="py-1.5 pr-4">
    {#if editing}
      <form class="flex gap-2" onsubmit={rename}>
        <input
          class="rounded border border-line-strong bg-sheet px-1.5"
          bind:value={note}
          aria-label="Note"
          maxlength="400"
        />
        <button class="link">save</button>
      </form>
    {:else}
      <button
        class="text-left hover:underline"
        title="Change the note"
        onclick={() => (editing = true)}
      >
        {#if backup.note}{backup.note}{:else}<span class="text-ink-3">add a note</span>{/if}
      </button>
    {/if}
  </td>
  <td class="py-1.5 pr-4 text-ink-2" title={backup.scheduled}>{scheduled || backup.by || '—'}</td>
  <td class="py-1.5 pr-4">
    {#if Object.keys(backup.changes).length}<Tally tally={backup.changes} between />{:else}<span
        class="text-ink-3">nothing</span
      >{/if}
  </td>
  <td class="py-1.5 pr-4">
    {#if away.error}
      <span class="text-stop" title={away.error.message}>not known</span>
    {:else if !wanted}
      <button class="link text-ink-2" onclick={() => (asking = true)}>how far?</button>
    {:else if !away.data}
      <span class="text-ink-3">…</span>
    {:else if away.data.differs === null}
      <span class="text-ink-3">not looked at</span>
    {:else if total(away.data.differs)}
      <Tally tally={away.data.differs} />
    {:else}
      <b class="font-semibold text-pick">as live is</b>
    {/if}
  </td>
  <td class="py-1.5 pr-4 text-right font-mono text-sm">{backup.objects.toLocaleString('en')}</td>
  <td class="py-1.5 pr-4 text-right font-mono text-sm">{bytes(backup.stored_bytes)}</td>
  <td class="py-1.5 pr-4 whitespace-nowrap">
    {#if backup.damage_count}
      <b class="font-semibold text-stop">{count(backup.damage_count, 'place')} cannot be read</b>
    {:else if backup.problem_count}
      <b class="font-semibold text-confirm">{count(backup.problem_count, 'problem')}</b>
    {:else}<span class="text-ink-2">good</span>{/if}
    {#if backup.baseline}<b class="font-semibold"> · baseline</b>{/if}
    {#if backup.pinned}<b class="font-semibold"> · pinned</b>{/if}
    {#if goes}<small class="block text-xs text-confirm">{goes}</small>{/if}
  </td>
  <td class="flex gap-3 py-1.5 whitespace-nowrap">
    <a class="link" href="/sort/{backup.system}?left={backup.id}">sort</a>
    <button class="link" aria-expanded={open} onclick={() => (open = !open)}
      >{open ? 'less' : 'more'}</button
    >
  </td>
</tr>
{#if open}
  <tr class="border-b border-line bg-sheet">
    <td></td>
    <td colspan="9" class="pb-3">
      <BackupDetails {system} {backup} {why} {onasked} />
    </td>
  </tr>
{/if}
