<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { health } from '$lib/api/queries';

  /** Says that nothing that is asked for will be done, where no worker process is there. */
  const parts = createQuery(health);
</script>

{#if parts.data && !parts.data.worker}
  <p role="alert" class="border-l-3 border-stop bg-sheet py-1 pl-3">
    <b class="font-semibold">No worker is running.</b>
    Backups, looks and restores wait until one is; those who keep this installation can start it.
  </p>
{/if}
