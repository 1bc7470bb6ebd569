<script lang="ts">
  import type { Run } from '$lib/api/client';
  import { sections } from '$lib/model/findings';

  /** What a run that is under way sets off as a whole; its report says what came of it. */
  let { run }: { run: Run } = $props();

  const told = $derived(sections(run.content.findings));
  const whole = $derived(told.meanwhile.filter((one) => one.effect?.when === 'during'));
</script>

{#each whole as finding (finding.name)}
  <p class="mt-2 text-ink-2">{finding.text}</p>
{/each}
{#each told.after as finding (finding.name)}
  <p class="mt-2 text-ink-2">At the end: {finding.text}</p>
{/each}
