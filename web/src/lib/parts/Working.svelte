<script lang="ts">
  import type { System } from '$lib/api/client';
  import Progress from './Progress.svelte';

  /** What a worker is doing for a system right now. */
  let { system }: { system: System } = $props();
  const work = $derived(system.work[0]);
</script>

{#if work}
  <span class="flex items-start gap-1.5" role="status">
    <svg
      width="10"
      height="10"
      class="mt-1 shrink-0 animate-spin text-pick"
      viewBox="0 0 10 10"
      aria-hidden="true"
    >
      <circle
        cx="5"
        cy="5"
        r="4"
        fill="none"
        stroke="currentColor"
        stroke-width="2"
        stroke-dasharray="14 12"
      />
    </svg>
    <span><Progress {work} /></span>
  </span>
{/if}
