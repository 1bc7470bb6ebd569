<script lang="ts">
  import { client, got, type Backup } from '$lib/api/client';
  import { queryClient } from '$lib/api/queries';
  import { bytes } from '$lib/model/time';
  import { plainName } from '$lib/model/paths';
  import Ago from '$lib/parts/Ago.svelte';
  import ExportDialog from '../sort/ExportDialog.svelte';
  import Tally from '$lib/parts/Tally.svelte';

  let { backup, pair = $bindable() }: { backup: Backup; pair: number[] } = $props();

  let editing = $state(false);
  let exporting = $state(false);
  // svelte-ignore state_referenced_locally
  let note = $state(backup.note);

  async function change(body: { note?: string; pinned?: boolean }): Promise<void> {
    await got(
      client.PATCH('/api/records/{number}', { params: { path: { number: backup.id } }, body }),
    );
    editing = false;
    await queryClient.invalidateQueries({ queryKey: ['backups'] });
    await queryClient.invalidateQueries({ queryKey: ['systems'] });
  }

  function choose(): void {
    pair = pair.includes(backup.id)
      ? pair.filter((id) => id !== backup.id)
      : [...pair, backup.id].slice(-2);
  }
</script>

<tr class="border-b border-line hover:bg-sheet">
  <td>
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
    {/if}
  </td>
  <td class="pr-4">
    {#if editing}
      <form
        class="flex gap-2"
        onsubmit={(event) => {
          event.preventDefault();
          void change({ note });
        }}
      >
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
  <td class="pr-4 text-ink-2">{backup.by || '—'}</td>
  <td class="pr-4">
    {#if Object.keys(backup.changes).length}<Tally tally={backup.changes} between />{:else}<span
        class="text-ink-3">nothing</span
      >{/if}
  </td>
  <td class="pr-4 text-right font-mono text-sm">{backup.objects.toLocaleString('en')}</td>
  <td class="pr-4 text-right font-mono text-sm">{bytes(backup.stored_bytes)}</td>
  <td class="pr-4">
    {#if backup.problem_count}
      <span class="font-semibold text-confirm" title={backup.problems.join('\n')}>
        {backup.problem_count === 1 ? '1 problem' : `${backup.problem_count} problems`}
      </span>
    {:else}<span class="text-ink-2">good</span>{/if}
  </td>
  <td class="flex gap-3 py-1.5 whitespace-nowrap">
    <a class="link" href="/sort/{backup.system}?left={backup.id}">sort</a>
    <button class="link" onclick={() => (exporting = true)}>save to a file…</button>
    <button
      class="link {backup.pinned ? 'font-semibold' : ''}"
      aria-pressed={backup.pinned}
      onclick={() => change({ pinned: !backup.pinned })}
    >
      {backup.pinned ? 'pinned' : 'pin'}
    </button>
    {#if exporting}
      <ExportDialog bind:open={exporting} backup={backup.id} path={backup.at} />
    {/if}
  </td>
</tr>
