<script lang="ts">
  import type { Attribute, MapKey } from '$lib/api/client';
  import type { Path } from '$lib/model/paths';
  import type { Picks } from '$lib/model/picks.svelte';
  import PutButton from './PutButton.svelte';
  import Value from './Value.svelte';

  /** A map on both sides, key by key; each differing value can be picked. */
  interface Props {
    attribute: Attribute;
    path: Path;
    picks: Picks;
    pickable: boolean;
    differing: string[];
    onchoose: (path: Path) => void;
  }
  let { attribute, path, picks, pickable, differing, onchoose }: Props = $props();

  const on = (key: MapKey): boolean => pickable && picks.partPicked(path, attribute.name, key.part);
</script>

<div class="col-span-3 grid min-w-0 gap-y-1">
  {#each attribute.keys as key (key.number)}
    {@const picked = on(key)}
    <div class="grid grid-cols-[minmax(0,1fr)_38px_minmax(0,1fr)] gap-x-2.5">
      <div class="min-w-0">
        <span class="text-xs text-ink-3">{key.keys.join(' › ')}</span>
        {#if key.left}<Value value={key.left} {onchoose} />{:else}<div class="text-ink-3">
            —
          </div>{/if}
      </div>
      {#if pickable}
        <PutButton
          state={picked ? 'all' : 'none'}
          takes={key.state === 'extra'}
          label={key.state === 'extra'
            ? `Take ${key.keys.join(' › ')} away from live`
            : `Put back ${key.keys.join(' › ')}`}
          onput={() => picks.togglePart(path, attribute.name, key.part, attribute.parts, differing)}
        />
      {:else}<span></span>{/if}
      <div class="min-w-0">
        <span class="text-xs text-ink-3">{key.keys.join(' › ')}</span>
        {#if key.right}<Value value={key.right} {onchoose} was={picked} />{:else if !picked}<div
            class="text-ink-3"
          >
            —
          </div>{/if}
        {#if picked && key.left}<Value value={key.left} {onchoose} will />{/if}
      </div>
    </div>
  {/each}
</div>
