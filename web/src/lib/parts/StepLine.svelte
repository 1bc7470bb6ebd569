<script lang="ts">
  import type { Snippet } from 'svelte';
  import type { Step } from '$lib/api/client';
  import { plainName } from '$lib/model/paths';
  import { whereOf } from '$lib/model/steps';

  interface Props {
    step: Step;
    chosen: boolean;
    onchoose: () => void;
    end?: Snippet;
  }
  let { step, chosen, onchoose, end }: Props = $props();

  const HUES = { create: 'missing', update: 'changed', move: 'moved', delete: 'stop' };
  const where = $derived(whereOf(step));
  const why = $derived(
    [step.reason, step.needs.length ? `needs step ${step.needs.join(', ')}` : '']
      .filter(Boolean)
      .join(' · '),
  );
</script>

<div
  class="flex items-center border-b border-line {chosen
    ? 'bg-sheet shadow-[inset_3px_0_0_var(--ink)]'
    : 'hover:bg-sheet'}"
>
  <button
    class="grid min-w-0 flex-1 grid-cols-[24px_56px_minmax(0,1fr)] items-center gap-2 px-1 py-1.5 text-left"
    aria-current={chosen ? 'step' : undefined}
    onclick={onchoose}
  >
    <span class="pl-1 font-mono text-sm text-ink-3">{step.number}</span>
    <span class="font-semibold" style:color="var(--{HUES[step.action]})">{step.action}</span>
    <span class="min-w-0">
      <span class="block truncate">{plainName(step.name)}</span>
      <small class="block truncate text-xs text-ink-2" title={why}
        >{[where, why].filter(Boolean).join(' · ')}</small
      >
    </span>
  </button>
  {@render end?.()}
</div>
