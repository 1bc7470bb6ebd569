<script lang="ts">
  import type { Attribute } from '$lib/api/client';
  import type { Looked } from '$lib/api/comparing';
  import { count } from '$lib/model/differences';
  import type { Ignorable } from '$lib/model/ignoring';
  import { openText } from '$lib/model/looked.svelte';
  import { plainName, type Path } from '$lib/model/paths';
  import type { Picks } from '$lib/model/picks.svelte';
  import Elements from './Elements.svelte';
  import IgnoreButton from './IgnoreButton.svelte';
  import Keys from './Keys.svelte';
  import PutButton from './PutButton.svelte';
  import Stretches from './Stretches.svelte';
  import Value from './Value.svelte';

  interface Props {
    attribute: Attribute;
    path: Path;
    looked: Looked;
    picks: Picks;
    pickable: boolean;
    since?: string;
    oneSided?: boolean;
    /** What is said of an attribute that only the backup has. */
    other?: string;
    /** What the left side is: a backup or a file. */
    source?: string;
    comes?: boolean;
    goes?: boolean;
    differing: string[];
    /** Of what it is, where it can be ignored from here. */
    ignorable?: Omit<Ignorable, 'attribute' | 'label'>;
    onchoose: (path: Path) => void;
  }
  let {
    attribute,
    path,
    looked,
    picks,
    pickable,
    since = '',
    oneSided = false,
    other = 'not live',
    source = 'backup',
    comes = false,
    goes = false,
    differing,
    ignorable,
    onchoose,
  }: Props = $props();

  const state = $derived(pickable ? picks.attributeState(path, attribute.name) : 'none');
  const picked = $derived(state === 'all');
  // a set of one value that got another is told as one value that changed
  const single = $derived(
    !attribute.both.length && attribute.left.length === 1 && attribute.right.length === 1,
  );
  const isSet = $derived(attribute.shape === 'set' && attribute.state === 'changed' && !single);
  const note = $derived.by(() => {
    if (attribute.state === 'follows') {
      const moved = attribute.consequence_of?.at(-1);
      return `follows the move of ${moved ? plainName(moved) : 'another object'}`;
    }
    if (attribute.secret) return 'secret';
    if (attribute.read_only) return 'set by the system';
    if (isSet) {
      const parts = [];
      if (attribute.left.length) parts.push(`${attribute.left.length} gone`);
      if (attribute.right.length) parts.push(`${attribute.right.length} more`);
      return `set · ${parts.join(', ')}`;
    }
    if (attribute.keys.length || attribute.stretches.length)
      return count(attribute.parts.length, attribute.keys.length ? 'value' : 'hunk');
    // where the whole object is on one side only, that need not be said of each attribute
    if (attribute.state === 'missing' && !oneSided) return other;
    if (attribute.state === 'extra' && !oneSided) return `not in the ${source}`;
    return '';
  });
</script>

<div
  class="group grid grid-cols-[var(--named,128px)_minmax(0,1fr)_38px_minmax(0,1fr)] items-start gap-x-2.5 border-b border-line py-1.5
    {picked || comes
    ? 'bg-[linear-gradient(90deg,transparent_var(--named,120px),var(--pick-wash)_var(--named,120px))]'
    : ''}"
  role="row"
  data-attribute={attribute.name}
>
  <span role="rowheader" class="min-w-0 truncate text-ink-2" title={attribute.name}>
    {attribute.label}
    {#if attribute.unit}<small class="text-xs text-ink-3">{attribute.unit}</small>{/if}
    {#if note}<small class="block text-xs whitespace-normal text-ink-3">{note}</small>{/if}
    {#if attribute.stretches.length}<button
        class="link block text-xs"
        title="The whole text on both sides (W)"
        onclick={() => openText(path, attribute.name)}>full width</button
      >{/if}
    {#if ignorable}
      <IgnoreButton
        {looked}
        what={{ ...ignorable, attribute: attribute.name, label: attribute.label }}
      />
    {/if}
    {#if since}<small class="block text-xs whitespace-normal text-ink-3">{since}</small>{/if}
  </span>
  {#if attribute.stretches.length}
    <div role="cell" aria-colspan="3" class="col-span-3 min-w-0">
      <Stretches {attribute} {path} {looked} {picks} {pickable} {differing} />
    </div>
  {:else if attribute.keys.length}
    <div role="cell" aria-colspan="3" class="col-span-3 min-w-0">
      <Keys {attribute} {path} {picks} {pickable} {differing} {onchoose} />
    </div>
  {:else if isSet}
    <div role="cell" aria-colspan="3" class="col-span-3 min-w-0">
      <Elements {attribute} {path} {picks} {pickable} {differing} {onchoose} />
    </div>
  {:else}
    <div role="cell" class="min-w-0">
      {#each attribute.state === 'same' ? [...attribute.both, ...attribute.left] : attribute.left as value, n (n)}
        <Value {value} {onchoose} side="left" />
      {:else}<span class="text-ink-3">—</span>{/each}
    </div>
    <div role="cell">
      {#if pickable}
        <PutButton
          {state}
          takes={attribute.state === 'extra'}
          label={attribute.state === 'extra'
            ? `Take ${attribute.label} away from live`
            : `Put back ${attribute.label}`}
          onput={() => picks.toggleAttribute(path, attribute.name, differing)}
        />
      {/if}
    </div>
    <div role="cell" class="min-w-0">
      {#each attribute.state === 'same' ? [...attribute.both, ...attribute.right] : attribute.right as value, n (n)}
        <Value {value} {onchoose} was={picked || goes} />
      {:else}
        {#if !picked && !comes}<span class="text-ink-3">—</span>{/if}
      {/each}
      {#if (picked || comes) && attribute.state !== 'same'}
        {#each attribute.left as value, n (n)}<Value {value} {onchoose} will />{/each}
      {/if}
    </div>
  {/if}
</div>
