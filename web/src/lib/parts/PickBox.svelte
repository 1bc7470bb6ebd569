<script lang="ts">
  import type { PickState } from '$lib/model/picks.svelte';

  interface Props {
    state: PickState;
    label: string;
    removes?: boolean;
    tabindex?: number;
    disabled?: boolean;
    onpick: () => void;
  }
  let { state, label, removes = false, tabindex = 0, disabled = false, onpick }: Props = $props();
</script>

<button
  type="button"
  role="checkbox"
  aria-checked={state === 'all' ? true : state === 'some' ? 'mixed' : false}
  aria-label={label}
  title={label}
  {tabindex}
  {disabled}
  onclick={(event) => {
    event.stopPropagation();
    onpick();
  }}
  class="grid size-3.5 shrink-0 place-items-center rounded-[3px] border-[1.5px] text-[10px] leading-none font-bold
    {state === 'all'
    ? 'border-pick bg-pick text-on-pick'
    : state === 'some'
      ? 'border-pick bg-sheet text-pick'
      : 'border-line-strong bg-sheet'} disabled:opacity-40"
>
  {#if state === 'all'}{removes ? '×' : '✓'}{:else if state === 'some'}–{/if}
</button>
