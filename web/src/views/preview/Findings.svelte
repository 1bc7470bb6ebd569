<script lang="ts">
  import type { Finding, Plan } from '$lib/api/client';
  import { saidOfRights, sections } from '$lib/model/findings';
  import FindingLine from './FindingLine.svelte';

  interface Props {
    plan: Plan;
    confirmed: string[];
    answers: Record<string, string>;
  }
  /** All there is to know before a run: what wants an answer, what it sets off, what else. */
  let { plan, confirmed = $bindable(), answers = $bindable() }: Props = $props();

  const told = $derived(sections(plan.findings));
  const rights = $derived(saidOfRights(plan));
</script>

{#snippet lines(title: string, findings: Finding[], rights = '')}
  {#if findings.length || rights}
    <div class="mb-3">
      <h2 class="font-semibold">{title}</h2>
      {#each findings as finding (finding.name)}
        <FindingLine {finding} {plan} bind:confirmed bind:answers />
      {/each}
      {#if rights}
        <p class="grid grid-cols-[16px_74px_minmax(0,1fr)] gap-2 border-t border-line py-1.5">
          <span></span>
          <span class="font-semibold text-note">rights</span>
          <span>{rights}</span>
        </p>
      {/if}
    </div>
  {/if}
{/snippet}

<section aria-label="To know first">
  {@render lines('Before it can run', told.first)}
  {@render lines('What it sets off while it writes', told.meanwhile)}
  {@render lines('What it sets off at the end', told.after)}
  {@render lines('Good to know', told.notes, rights)}
</section>
