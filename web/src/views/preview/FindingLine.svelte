<script lang="ts">
  import type { Finding, Plan } from '$lib/api/client';
  import { plainName } from '$lib/model/paths';
  import GoesInto from './GoesInto.svelte';
  import OtherId from './OtherId.svelte';

  interface Props {
    finding: Finding;
    plan: Plan;
    confirmed: string[];
    answers: Record<string, string>;
  }
  let { finding, plan, confirmed = $bindable(), answers = $bindable() }: Props = $props();

  const WORDS = { stop: 'stops it', ask: 'asks', confirm: 'confirm', note: 'note' };
  const HUES = { stop: 'stop', ask: 'confirm', confirm: 'confirm', note: 'note' };
  /** What happens is the better word, where something does. */
  const word = $derived(finding.effect?.does ?? finding.budget?.of ?? WORDS[finding.level]);
</script>

<label class="grid grid-cols-[16px_74px_minmax(0,1fr)] gap-2 border-t border-line py-1.5">
  {#if finding.level === 'confirm'}
    <input type="checkbox" class="mt-0.5 accent-pick" bind:group={confirmed} value={finding.name} />
  {:else}<span></span>{/if}
  <span class="font-semibold" style:color="var(--{HUES[finding.level]})">{word}</span>
  <span>
    {#if finding.path.length && (finding.effect?.steps.length ?? 1) === 1}<b class="font-semibold"
        >{plainName(finding.path.at(-1)!)}:</b
      >{/if}
    {finding.text}
    {#if finding.level === 'ask'}
      <input
        type="password"
        autocomplete="off"
        aria-label="{finding.attribute} of {plainName(finding.path.at(-1) ?? '')}"
        class="field mt-1 block w-full font-mono"
        bind:value={answers[finding.name]}
      />
    {/if}
  </span>
</label>
<!-- ways out stand apart from the box that confirms the opposite -->
<div class="ml-[106px] pb-1.5 empty:hidden">
  {#if finding.code === 'id-reused' && plan.backup !== null && !plan.undoes}
    <OtherId {finding} backup={plan.backup} system={plan.system} />
  {:else if finding.code === 'left-out' && finding.choices.length}
    <GoesInto {finding} plan={plan.id} system={plan.system_name} />
  {/if}
</div>
