<script lang="ts">
  import { setParameter } from '$lib/model/looked.svelte';
  import { ORDERS, type Order } from '$lib/model/watching';

  /** Which systems stand on Watch, in what order and how; all of it in the URL. */
  interface Props {
    shown: number;
    all: number;
    typed: string;
    order: Order;
    grouped: boolean;
    lines: boolean;
    /** Whether any system has a tag. */
    tagged: boolean;
    /** How many systems are chosen to do the same with. */
    marked: number;
    onwork: (kind: 'backup' | 'look') => void;
    onmark: (all: boolean) => void;
  }
  let { shown, all, typed, order, grouped, lines, tagged, marked, onwork, onmark }: Props =
    $props();

  let input = $state<HTMLInputElement>();
  export const focus = (): void => input?.focus();
</script>

<div class="flex flex-wrap items-center gap-x-4 gap-y-1 pt-2 pb-1 text-sm text-ink-2">
  <span class="min-w-20"
    >{shown === all
      ? all === 1
        ? 'one system'
        : `${all} systems`
      : `${shown} of ${all} systems`}</span
  >
  <input
    bind:this={input}
    class="field w-44 py-0.5"
    type="search"
    placeholder="name, kind or tag   F"
    aria-label="Show only systems with"
    value={typed}
    oninput={(event) => setParameter('only', event.currentTarget.value)}
    onkeydown={(event) => {
      if (event.key === 'Escape') {
        setParameter('only', undefined);
        input?.blur();
      }
    }}
  />
  <label class="flex items-center gap-1.5"
    >in order of
    <select
      class="field py-0.5"
      value={order}
      onchange={(event) => {
        const chosen = event.currentTarget.value;
        setParameter('order', chosen === 'as added' ? undefined : chosen);
      }}
    >
      {#each ORDERS as one (one)}<option value={one}
          >{one === 'as added' ? 'when added' : one}</option
        >{/each}
    </select></label
  >
  {#if tagged}
    <label class="flex items-center gap-1.5"
      ><input
        type="checkbox"
        class="accent-pick"
        checked={grouped}
        onchange={() => setParameter('grouped', grouped ? undefined : 'yes')}
      />by tag</label
    >
  {/if}
  <label class="flex items-center gap-1.5"
    ><input
      type="checkbox"
      class="accent-pick"
      checked={lines}
      onchange={() => setParameter('lines', lines ? 'no' : 'yes')}
    />one line each</label
  >
  {#if marked}
    <span class="ml-auto flex items-baseline gap-3">
      <b class="font-semibold text-pick">{marked} chosen</b>
      <button class="link" onclick={() => onwork('look')}>look at them</button>
      <button class="link" onclick={() => onwork('backup')}>back them up</button>
      <button class="link" onclick={() => onmark(false)}>let go</button>
    </span>
  {:else}
    <button class="link ml-auto" onclick={() => onmark(true)}>choose all</button>
  {/if}
</div>
