<script lang="ts">
  import type { Attribute } from '$lib/api/client';
  import type { Looked } from '$lib/api/comparing';
  import type { Path } from '$lib/model/paths';
  import type { Picks } from '$lib/model/picks.svelte';
  import AttributeRow from './AttributeRow.svelte';

  /** Attributes that are told only when asked for; nothing where there are none. */
  interface Props {
    attributes: Attribute[];
    label: string;
    path: Path;
    looked: Looked;
    picks: Picks;
    differing: string[];
    pickable?: boolean;
    onchoose: (path: Path) => void;
  }
  let { attributes, label, pickable = false, ...rest }: Props = $props();

  let shown = $state(false);
</script>

{#if attributes.length}
  <button class="link mt-2 mr-4 text-sm" aria-expanded={shown} onclick={() => (shown = !shown)}>
    {shown ? '▾' : '▸'}
    {label}
  </button>
  {#if shown}
    <div role="table" aria-label={label}>
      {#each attributes as attribute (attribute.name)}
        <AttributeRow {attribute} {pickable} {...rest} />
      {/each}
    </div>
  {/if}
{/if}
