<script lang="ts">
  import type { Plan } from '$lib/api/client';
  import { plainName } from '$lib/model/paths';
  import GoesInto from './GoesInto.svelte';
  import OtherId from './OtherId.svelte';

  interface Props {
    plan: Plan;
    confirmed: string[];
    answers: Record<string, string>;
  }
  let { plan, confirmed = $bindable(), answers = $bindable() }: Props = $props();

  const ORDER = ['stop', 'ask', 'confirm', 'note'];
  const WORDS = { stop: 'stops it', ask: 'asks', confirm: 'confirm', note: 'note' };
  const HUES = { stop: 'stop', ask: 'confirm', confirm: 'confirm', note: 'note' };
  const sorted = $derived(
    [...plan.findings].sort((a, b) => ORDER.indexOf(a.level) - ORDER.indexOf(b.level)),
  );
</script>

<section class="mb-3" aria-label="To know first">
  <h2 class="font-semibold">Before it can run</h2>
  {#each sorted as finding (finding.name)}
    <label class="grid grid-cols-[16px_62px_minmax(0,1fr)] gap-2 border-t border-line py-1.5">
      {#if finding.level === 'confirm'}
        <input
          type="checkbox"
          class="mt-0.5 accent-pick"
          bind:group={confirmed}
          value={finding.name}
        />
      {:else}<span></span>{/if}
      <span class="font-semibold" style:color="var(--{HUES[finding.level]})">
        {WORDS[finding.level]}
      </span>
      <span>
        {#if finding.path.length}<b class="font-semibold">{plainName(finding.path.at(-1)!)}:</b
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
    <div class="ml-[94px] pb-1.5 empty:hidden">
      {#if finding.code === 'id-reused' && plan.backup !== null && !plan.undoes}
        <OtherId {finding} backup={plan.backup} system={plan.system} />
      {:else if finding.code === 'left-out' && finding.choices.length}
        <GoesInto {finding} plan={plan.id} system={plan.system_name} />
      {/if}
    </div>
  {/each}
</section>
