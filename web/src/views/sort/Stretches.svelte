<script lang="ts">
  import type { Attribute, Stretch } from '$lib/api/client';
  import type { Looked } from '$lib/api/comparing';
  import { along } from '$lib/model/hunks';
  import type { Path } from '$lib/model/paths';
  import type { Picks } from '$lib/model/picks.svelte';
  import Lines from './Lines.svelte';
  import PutButton from './PutButton.svelte';
  import SameLines from './SameLines.svelte';

  /** A text or a sequence on both sides, stretch by stretch; each differing one can be picked. */
  interface Props {
    attribute: Attribute;
    path: Path;
    looked: Looked;
    picks: Picks;
    pickable: boolean;
    differing: string[];
  }
  let { attribute, path, looked, picks, pickable, differing }: Props = $props();

  let hiddenShown = $state(false);
  const isText = $derived(attribute.shape === 'text');
  const where = $derived({ looked, path, attribute: attribute.name });
  const on = (stretch: Stretch): boolean =>
    pickable && picks.partPicked(path, attribute.name, stretch.part);

  // elements that only stand elsewhere, by their place on each side
  const moves = $derived({
    left: new Map(attribute.moves.map((m) => [m.left, m.right])),
    right: new Map(attribute.moves.map((m) => [m.right, m.left])),
  });

  function toggle({ part }: Stretch): void {
    picks.togglePart(
      path,
      attribute.name,
      part,
      attribute.parts,
      differing,
      along(attribute, part),
    );
  }
</script>

<div class="col-span-3 grid min-w-0 gap-y-0.5 font-mono text-sm">
  {#each attribute.stretches as stretch, n (n)}
    {#if stretch.state === 'same'}
      <SameLines {stretch} {where} {isText} />
    {:else if stretch.hidden && !hiddenShown}
      <button
        class="link justify-self-start font-sans text-xs text-ink-3"
        onclick={() => (hiddenShown = true)}>differs here only in what the rules ignore</button
      >
    {:else}
      {@const picked = on(stretch)}
      <div class="grid grid-cols-[minmax(0,1fr)_38px_minmax(0,1fr)] gap-x-2.5">
        <Lines {stretch} {where} {isText} side="left" moves={moves.left} />
        {#if pickable}
          <PutButton
            state={picked ? 'all' : 'none'}
            label="Put back hunk {stretch.number} of {attribute.label}"
            onput={() => toggle(stretch)}
          />
        {:else}<span></span>{/if}
        <div>
          <Lines {stretch} {where} {isText} side="right" moves={moves.right} was={picked} />
          {#if picked}
            {#each stretch.left as pieces, k (k)}
              <div class="pl-2 font-semibold break-words whitespace-pre-wrap text-pick">
                {pieces.join('') || ' '}
              </div>
            {/each}
          {/if}
        </div>
      </div>
    {/if}
  {/each}
  {#if attribute.more_stretches}
    <p class="py-1 font-sans text-ink-2">
      {attribute.more_stretches.toLocaleString('en')} more hunks are not shown. Picking the attribute
      puts all of them back.
    </p>
  {/if}
</div>
