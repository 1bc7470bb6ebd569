<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { run as runQuery } from '$lib/api/running';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { route } from '../../routes';
  import RunPane from './RunPane.svelte';

  const number = $derived(Number(route.params.run));
  // events tell of every step; the timer is for a connection that broke
  const shown = createQuery(() => ({
    ...runQuery(number),
    refetchInterval: (query) => (query.state.data?.state === 'finished' ? false : 3000),
  }));
</script>

{#if shown.data}
  {#key shown.data.id}<RunPane run={shown.data} />{/key}
{:else if shown.error}
  <div class="p-6"><Trouble error={shown.error} /></div>
{:else}
  <p class="p-6 text-ink-2" role="status">Opening the run…</p>
{/if}
