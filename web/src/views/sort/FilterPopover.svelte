<script lang="ts">
  import { Popover } from 'bits-ui';
  import type { CompareHead, Facet, System } from '$lib/api/client';
  import { pasteList, type Looked } from '$lib/api/comparing';
  import { givesFocusBack } from '$lib/model/focus';
  import { FILTERS, setParameter } from '$lib/model/looked.svelte';
  import type { Picks } from '$lib/model/picks.svelte';
  import { ago } from '$lib/model/time';
  import Trouble from '$lib/parts/Trouble.svelte';

  /** Which of the differences are shown; everything here lives in the URL. */
  interface Props {
    open: boolean;
    system: System;
    head: CompareHead | undefined;
    looked: Looked;
    picks: Picks;
  }
  let { open = $bindable(), system, head, looked, picks }: Props = $props();

  const FACETS_SHOWN = 12;
  let pasted = $state('');
  let error = $state<Error>();
  const active = $derived(FILTERS.filter((name) => looked[name] !== undefined).length);
  const older = $derived(system.backups.filter((b) => b.id < looked.right && !b.at.length));

  const chosen = (name: 'kinds' | 'attributes'): string[] => looked[name]?.split(',') ?? [];

  function toggle(name: 'kinds' | 'attributes', value: string): void {
    const now = chosen(name);
    const next = now.includes(value) ? now.filter((v) => v !== value) : [...now, value];
    setParameter(name, next.join(','));
  }

  async function only(text: string): Promise<void> {
    error = undefined;
    try {
      const kept = await pasteList(text);
      setParameter('listed', kept.id);
      pasted = '';
      open = false;
    } catch (problem) {
      error = problem as Error;
    }
  }

  const focus = givesFocusBack();
  const slashed = (path: string[]): string =>
    '/' + path.map((n) => n.replaceAll('\\', '\\\\').replaceAll('/', '\\/')).join('/');
</script>

{#snippet facets(title: string, name: 'kinds' | 'attributes', found: Facet[])}
  <fieldset class="min-w-0">
    <legend class="font-semibold">{title}</legend>
    {#each found.slice(0, FACETS_SHOWN) as facet (facet.name)}
      <label class="flex items-center gap-1.5">
        <input
          type="checkbox"
          class="accent-pick"
          checked={chosen(name).includes(facet.name)}
          onchange={() => toggle(name, facet.name)}
        />
        <span class="truncate">{facet.label}</span>
        <span class="ml-auto font-mono text-sm text-ink-2">{facet.count.toLocaleString('en')}</span>
      </label>
    {:else}<p class="text-ink-3">none differs</p>{/each}
  </fieldset>
{/snippet}

<Popover.Root bind:open>
  <Popover.Trigger
    class="act px-2 py-0.5 text-sm {active ? 'border-pick text-pick' : ''}"
    title="F"
  >
    {active ? `${active} filter${active > 1 ? 's' : ''}` : 'filter'}
  </Popover.Trigger>
  <Popover.Portal>
    <Popover.Content
      {...focus}
      side="right"
      align="start"
      sideOffset={4}
      class="z-10 grid max-h-[78vh] w-[min(460px,92vw)] grid-cols-[minmax(0,1fr)] gap-3 overflow-auto border border-line-strong bg-sheet p-4 text-base"
    >
      <label class="grid grid-cols-[110px_minmax(0,1fr)] items-center gap-2">
        <span class="font-semibold">Name holds</span>
        <input
          class="min-w-0 rounded border border-line-strong bg-paper px-2 py-1"
          value={looked.name ?? ''}
          onchange={(event) => setParameter('name', event.currentTarget.value)}
          onkeydown={(event) => {
            if (event.key !== 'Enter') return;
            setParameter('name', event.currentTarget.value);
            open = false;
          }}
        />
      </label>
      <div class="grid grid-cols-2 gap-4">
        {@render facets('Kind of object', 'kinds', head?.kinds ?? [])}
        {@render facets('Attribute that differs', 'attributes', head?.attributes ?? [])}
      </div>
      <label class="grid grid-cols-[110px_minmax(0,1fr)] items-center gap-2">
        <span class="font-semibold">Changed since</span>
        <select
          class="min-w-0 rounded border border-line-strong bg-paper px-1 py-1"
          value={looked.since ?? ''}
          onchange={(event) => setParameter('since', event.currentTarget.value)}
        >
          <option value="">whenever</option>
          {#each older as backup (backup.id)}
            <option value={backup.id}
              >the backup of {ago(backup.taken_at)}{backup.note ? ` · ${backup.note}` : ''}</option
            >
          {/each}
        </select>
      </label>
      <label class="grid gap-1">
        <span class="font-semibold"
          >Only these <small class="text-xs font-normal text-ink-3"
            >names, paths or ids, one a line, or a CSV</small
          ></span
        >
        <textarea
          rows="3"
          class="resize-y rounded border border-line-strong bg-paper px-2 py-1 font-mono text-sm"
          bind:value={pasted}></textarea>
      </label>
      {#if error}<Trouble {error} />{/if}
      <div class="flex gap-3">
        <button class="act" disabled={!pasted.trim()} onclick={() => only(pasted)}
          >Show only these</button
        >
        <button
          class="act"
          disabled={!picks.things.length}
          onclick={() => only(picks.things.map((t) => slashed(t.path)).join('\n'))}
          >Show only what is picked</button
        >
      </div>
    </Popover.Content>
  </Popover.Portal>
</Popover.Root>
