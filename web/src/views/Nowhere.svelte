<script lang="ts">
  import Title from '$lib/parts/Title.svelte';
  import { route } from '../routes';
</script>

<Title text="Nothing is here" />
<main tabindex="-1" class="p-6">
  <h1 class="text-xl font-semibold tracking-tight">Nothing is here</h1>
  <p class="mt-1 text-ink-2">
    <span class="font-mono text-sm break-all">{route.pathname}</span> is no place of Keep Sort.
    <a class="link" href="/">To Watch</a>
  </p>
</main>
