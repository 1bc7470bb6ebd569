<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { plan as planQuery } from '$lib/api/queries';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { route } from '../../routes';
  import Preview from './Preview.svelte';

  const number = $derived(Number(route.params.plan));
  const shown = createQuery(() => planQuery(number));
</script>

{#if shown.error}
  <div class="p-6"><Trouble error={shown.error} /></div>
{:else if shown.data}
  {#key shown.data.id}<Preview plan={shown.data} />{/key}
{:else}
  <p class="p-6 text-ink-2" role="status">Opening the preview…</p>
{/if}
