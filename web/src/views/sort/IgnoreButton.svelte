<script lang="ts">
  import type { Looked } from '$lib/api/comparing';
  import type { Ignorable } from '$lib/model/ignoring';
  import IgnoreSheet from './IgnoreSheet.svelte';

  /** Offers to ignore a difference where it is shown. */
  let { looked, what }: { looked: Looked; what: Ignorable } = $props();

  let open = $state(false);
</script>

<button
  class="link block text-xs opacity-0 group-hover:opacity-100 focus-visible:opacity-100"
  aria-label="Ignore {what.label}…"
  onclick={() => (open = true)}>ignore…</button
>
{#if open}<IgnoreSheet bind:open {looked} {what} />{/if}
