<script lang="ts">
  import { route } from '../../routes';
  import SystemBackups from './SystemBackups.svelte';

  const number = $derived(Number(route.params.system));
</script>

<!-- what was asked for and written is of one system -->
{#key number}<SystemBackups {number} />{/key}
