<script lang="ts">
  import type { Snippet } from 'svelte';
  import type { Step } from '$lib/api/client';
  import { plainName } from '$lib/model/paths';
  import { whereOf } from '$lib/model/steps';
  import StepChange from './StepChange.svelte';

  /** One step in full: what it is about, what it changes, and the text that is sent for it. */
  interface Props {
    step: Step;
    /** What the text is. */
    sent: string;
    past?: boolean;
    children?: Snippet;
  }
  let { step, sent, past = false, children }: Props = $props();

  const HUES = { create: 'missing', update: 'changed', move: 'moved', delete: 'stop' };
  const WORDS = { create: 'create', update: 'update', move: 'move', delete: 'delete' };
  const name = $derived(plainName((step.to ?? step.path).at(-1) ?? step.name));
</script>

<article
  id="step-{step.number}"
  aria-label="Step {step.number}: {WORDS[step.action]} {name}"
  class="mb-5 scroll-mt-3 {step.action === 'delete' ? 'border-l-4 border-stop pl-3' : ''}"
>
  <header class="flex flex-wrap items-baseline gap-x-2.5">
    <span class="font-mono text-sm text-ink-3">{step.number}</span>
    <span class="font-semibold" style:color="var(--{HUES[step.action]})">{WORDS[step.action]}</span>
    <h3 class="text-lg font-semibold tracking-tight">{name}</h3>
    <span class="text-sm text-ink-2"
      >{[step.kind_label, whereOf(step)].filter(Boolean).join(' · ')}</span
    >
    {#if step.reason}<span class="text-sm text-ink-2">{step.reason}</span>{/if}
  </header>
  <div class="font-mono text-xs break-all text-ink-3">{step.written}</div>
  {@render children?.()}
  <StepChange {step} {past} />
  {#if step.rendered}
    <h4 class="mt-2 mb-0.5 text-xs text-ink-2">{sent}</h4>
    <pre
      class="overflow-x-auto rounded-[3px] border border-line bg-sunk px-3 py-1.5 font-mono text-sm leading-relaxed">{step.rendered}</pre>
  {/if}
</article>
