<script lang="ts">
  import { MEANING, STATES } from '$lib/model/differences';
  import Mark from './Mark.svelte';

  let { tally }: { tally: Record<string, number> } = $props();
</script>

<span class="flex flex-wrap items-center gap-x-3 gap-y-0.5">
  {#each STATES.filter((state) => tally[state]) as state (state)}
    <span class="flex items-center gap-1.5" title={MEANING[state]}>
      <Mark {state} />
      <b class="font-mono text-base font-semibold">{tally[state]}</b>
      <span class="text-sm text-ink-2">{state}</span>
    </span>
  {/each}
</span>
