<script lang="ts">
  import { QueryClientProvider } from '@tanstack/svelte-query';
  import { Tooltip } from 'bits-ui';
  import { queryClient } from '$lib/api/cache';
  import Shell from './Shell.svelte';
</script>

<QueryClientProvider client={queryClient}>
  <Tooltip.Provider delayDuration={400}>
    <Shell />
  </Tooltip.Provider>
</QueryClientProvider>
