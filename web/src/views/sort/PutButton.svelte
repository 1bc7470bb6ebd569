<script lang="ts">
  import type { PickState } from '$lib/model/picks.svelte';

  interface Props {
    state: PickState;
    label: string;
    small?: boolean;
    takes?: boolean;
    onput: () => void;
  }
  let { state, label, small = false, takes = false, onput }: Props = $props();
</script>

<button
  type="button"
  role="switch"
  aria-checked={state === 'all'}
  aria-label={label}
  title={label}
  onclick={onput}
  class="grid place-items-center rounded-full border-[1.5px] leading-none
    {small ? 'h-4 w-6 text-[10px]' : 'h-5 w-8.5 text-sm'}
    {state === 'all'
    ? 'border-pick bg-pick text-on-pick'
    : state === 'some'
      ? 'border-pick bg-sheet text-pick'
      : 'border-line-strong bg-sheet text-ink-3 hover:border-ink-3'}">{takes ? '×' : '→'}</button
>
