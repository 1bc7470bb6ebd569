<script lang="ts">
  import type { PickState } from '$lib/model/picks.svelte';

  /**
   * A bead on a rail between the two values: it lies by the one that live will have. Where live will
   * have nothing, it is drawn as what is missing is drawn everywhere.
   */
  interface Props {
    state: PickState;
    label: string;
    small?: boolean;
    takes?: boolean;
    onput: () => void;
  }
  let { state, label, small = false, takes = false, onput }: Props = $props();

  const AT = { all: 8, some: 17, none: 26 };
  const on = $derived(state !== 'none');
</script>

<button
  type="button"
  role="switch"
  aria-checked={state === 'all'}
  aria-label={label}
  title={label}
  onclick={onput}
  class="grid w-8.5 place-items-center {small ? 'h-4' : 'h-5'} {on
    ? 'text-pick'
    : 'text-ink-3 hover:text-ink'}"
>
  <svg viewBox="0 0 34 16" class="h-4 w-8.5" aria-hidden="true">
    <path
      d="M2 4.5v7M32 4.5v7M2 8H32"
      stroke={on ? 'var(--pick-line)' : 'var(--line-strong)'}
      stroke-width="1.5"
    />
    <circle
      cx={AT[state]}
      cy="8"
      r="5"
      fill={on && !(takes && state === 'all') ? 'currentColor' : 'var(--sheet)'}
      stroke="currentColor"
      stroke-width="1.75"
      stroke-dasharray={takes && state === 'all' ? '2.6 2' : undefined}
    />
  </svg>
</button>
