<script lang="ts">
  import type { Attribute } from '$lib/api/client';
  import { count } from '$lib/model/differences';
  import type { Path } from '$lib/model/paths';
  import type { Picks } from '$lib/model/picks.svelte';
  import PutButton from './PutButton.svelte';
  import Value from './Value.svelte';

  /** A set on both sides, element by element; what is in both is folded. */
  interface Props {
    attribute: Attribute;
    path: Path;
    picks: Picks;
    pickable: boolean;
    differing: string[];
    onchoose: (path: Path) => void;
  }
  let { attribute, path, picks, pickable, differing, onchoose }: Props = $props();

  const SHOWN = 4;
  let unfolded = $state(false);
  const folded = $derived(attribute.both.length > SHOWN && !unfolded);
  const both = $derived(folded ? [] : attribute.both);
  const single = $derived(attribute.parts.length === 1);

  const picked = (part: string): boolean =>
    pickable && picks.partPicked(path, attribute.name, part);
  const toggle = (part: string): void =>
    picks.togglePart(path, attribute.name, part, attribute.parts, differing);
</script>

<div class="col-span-3 grid min-w-0 grid-cols-[minmax(0,1fr)_38px_minmax(0,1fr)] gap-x-2.5">
  {#if folded}
    <button class="link justify-self-start text-sm" onclick={() => (unfolded = true)}>
      {count(attribute.both.length, 'element')} in both
    </button>
    <span></span>
    <button class="link justify-self-start text-sm" onclick={() => (unfolded = true)}>
      {count(attribute.both.length, 'element')} in both
    </button>
  {/if}
  {#each both as value, n (n)}
    <Value {value} {onchoose} /><span></span><Value {value} {onchoose} />
  {/each}
  {#each attribute.left as value (value.part)}
    {@const on = picked(value.part)}
    <Value {value} {onchoose} tone="missing" />
    {#if pickable}
      <PutButton
        small={!single}
        state={on ? 'all' : 'none'}
        label="Put back {value.text} in {attribute.label}"
        onput={() => toggle(value.part)}
      />
    {:else}<span></span>{/if}
    {#if on}<Value {value} {onchoose} will />{:else}<span class="text-ink-3">—</span>{/if}
  {/each}
  {#each attribute.right as value (value.part)}
    {@const on = picked(value.part)}
    <span class="text-ink-3">—</span>
    {#if pickable}
      <PutButton
        small={!single}
        takes
        state={on ? 'all' : 'none'}
        label="Take {value.text} away from live"
        onput={() => toggle(value.part)}
      />
    {:else}<span></span>{/if}
    <Value {value} {onchoose} was={on} tone="extra" />
  {/each}
</div>
