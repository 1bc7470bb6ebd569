<script lang="ts">
  import { MEANING, STATES } from '$lib/model/differences';
  import Mark from './Mark.svelte';

  /** between: two backups are told apart, so what only the later one has is new. */
  let { tally, between = false }: { tally: Record<string, number>; between?: boolean } = $props();
  const words: Record<string, string> = { missing: 'gone', extra: 'new' };
</script>

<span class="flex flex-wrap items-center gap-x-3 gap-y-0.5">
  {#each STATES.filter((state) => tally[state]) as state (state)}
    <span class="flex items-center gap-1.5" title={MEANING[state]}>
      <Mark {state} />
      <b class="font-mono text-base font-semibold">{tally[state]!.toLocaleString('en')}</b>
      <span class="text-sm text-ink-2">{between ? (words[state] ?? state) : state}</span>
    </span>
  {/each}
</span>
