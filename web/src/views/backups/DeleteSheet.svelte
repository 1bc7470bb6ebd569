<script lang="ts">
  import type { Backup } from '$lib/api/client';
  import { createQuery } from '@tanstack/svelte-query';
  import { deleteBackup, deletion } from '$lib/api/practice';
  import { createDoing } from '$lib/model/doing.svelte';
  import { exact, bytes } from '$lib/model/time';
  import Sheet from '$lib/parts/Sheet.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';

  /** Deletes a backup: what is lost and freed is said first, and what needs it keeps it. */
  interface Props {
    open: boolean;
    backup: Backup;
  }
  let { open = $bindable(), backup }: Props = $props();

  const doing = createDoing();
  const found = createQuery(() => ({ ...deletion(backup.id), enabled: open, staleTime: 0 }));
  const does = $derived(found.data);

  const remove = (): void =>
    doing.run('delete', async () => {
      await deleteBackup(backup.id);
      open = false;
    });
</script>

<Sheet bind:open title="Delete the backup of {exact(backup.taken_at)}" width={480}>
  {#if does?.needed.length}
    <p class="border-l-3 border-stop pl-2.5">
      It is needed, so it cannot be deleted: {does.needed.join('; ')}.
    </p>
  {:else if does}
    <p>
      {backup.objects.toLocaleString('en')} objects as they were then{backup.note
        ? ` (“${backup.note}”)`
        : ''} are lost for good. What only it holds leaves history and search too.
    </p>
    {#each does.lost as text (text)}
      <p class="mt-1.5 border-l-3 border-confirm pl-2.5">{text}</p>
    {/each}
    <p class="mt-1.5 text-ink-2">
      {does.frees === null
        ? 'How much space that frees cannot be told, since something that is kept is damaged.'
        : does.frees
          ? `That frees ${bytes(does.frees)}: all else of it is shared with other backups.`
          : 'That frees no space: other backups stand on all of it.'}
    </p>
  {:else}
    <p class="text-ink-2" role="status">Working out what is lost…</p>
  {/if}
  {#if doing.error ?? found.error}<Trouble error={(doing.error ?? found.error)!} />{/if}
  <div class="mt-3 flex justify-end gap-2.5">
    <button class="act" onclick={() => (open = false)}>Keep it</button>
    <button
      class="act border-stop text-stop"
      disabled={!!doing.busy || !does || does.needed.length > 0}
      onclick={remove}>Delete this backup</button
    >
  </div>
</Sheet>
