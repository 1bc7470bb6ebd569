<script lang="ts">
  import type { Attribute, Stretch } from '$lib/api/client';
  import type { Path } from '$lib/model/paths';
  import type { Picks } from '$lib/model/picks.svelte';
  import PutButton from './PutButton.svelte';

  /** A text or a sequence on both sides, stretch by stretch; each differing one can be picked. */
  interface Props {
    attribute: Attribute;
    path: Path;
    picks: Picks;
    pickable: boolean;
    differing: string[];
  }
  let { attribute, path, picks, pickable, differing }: Props = $props();

  const numbers = $derived(attribute.stretches.filter((s) => s.number).map((s) => s.number));
  const on = (stretch: Stretch): boolean =>
    pickable && picks.hunkPicked(path, attribute.name, stretch.number);
</script>

<div class="col-span-3 grid min-w-0 gap-y-0.5 font-mono text-sm">
  {#each attribute.stretches as stretch, n (n)}
    <div class="grid grid-cols-[minmax(0,1fr)_38px_minmax(0,1fr)] gap-x-2.5">
      {#if stretch.state === 'same'}
        <div class="text-ink-2">
          {#each stretch.folded ? stretch.left.slice(0, 2) : stretch.left as line, k (k)}
            <div class="break-words whitespace-pre-wrap">{line || ' '}</div>
          {/each}
          {#if stretch.folded}<div class="font-sans text-ink-3">
              {stretch.folded} equal lines
            </div>{/if}
        </div>
        <span></span><span></span>
      {:else}
        {@const picked = on(stretch)}
        <div class="border-l-2 border-missing pl-1.5">
          {#each stretch.left as line, k (k)}
            <div class="break-words whitespace-pre-wrap">{line || ' '}</div>
          {/each}
        </div>
        {#if pickable}
          <PutButton
            state={picked ? 'all' : 'none'}
            label="Put hunk {stretch.number} back"
            onput={() => picks.toggleHunk(path, attribute.name, stretch.number, numbers, differing)}
          />
        {:else}<span></span>{/if}
        <div class="border-l-2 border-extra pl-1.5">
          {#each stretch.right as line, k (k)}
            <div class="break-words whitespace-pre-wrap {picked ? 'text-ink-3 line-through' : ''}">
              {line || ' '}
            </div>
          {/each}
          {#if picked}
            {#each stretch.left as line, k (k)}
              <div class="font-semibold break-words whitespace-pre-wrap text-pick">
                {line || ' '}
              </div>
            {/each}
          {/if}
        </div>
      {/if}
    </div>
  {/each}
</div>
