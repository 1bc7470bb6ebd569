<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import type { Offer, System } from '$lib/api/client';
  import { type Looked } from '$lib/api/comparing';
  import { askPreview, tray } from '$lib/api/queries';
  import { searchParams } from 'sv-router';
  import { choicesMade, policyChosen } from '$lib/model/choices';
  import { count, type Sides } from '$lib/model/differences';
  import { plainName, type Path } from '$lib/model/paths';
  import type { Picks } from '$lib/model/picks.svelte';
  import Mark from '$lib/parts/Mark.svelte';
  import ExportDialog from './ExportDialog.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import RestoreChoices from './RestoreChoices.svelte';
  import TrayThings from './TrayThings.svelte';
  import { openPlan } from '../preview/open';

  interface Props {
    system: System;
    looked: Looked;
    picks: Picks;
    live: boolean;
    sides: Sides;
    /** Whether it is drawn out, where there is no room for it beside the bench. */
    drawn: boolean;
    onchoose: (path: Path, backup?: number) => void;
    onclose: () => void;
  }
  let { system, looked, picks, live, sides, drawn, onchoose, onclose }: Props = $props();

  const policy = $derived(policyChosen());
  const chosen = $derived(choicesMade(system));
  const shown = createQuery(() => ({
    ...tray(looked, picks.things, policy),
    enabled: picks.things.length > 0,
    placeholderData: (before) => before,
  }));
  let error = $state<Error>();
  let waiting = $state(false);
  const steps = $derived(picks.things.length ? (shown.data?.steps ?? []) : []);
  const needs = $derived(steps.filter((s) => s.reason));
  const minds = $derived(picks.things.length ? (shown.data?.findings ?? []) : []);
  const offers = $derived(picks.things.length ? (shown.data?.offers ?? []) : []);
  const MARKS = { create: 'missing', update: 'changed', move: 'moved', delete: 'extra' };

  const name = (path: Path): string => (path.length ? plainName(path.at(-1)!) : 'everything');

  // what is to be taken away is not in the backup, and what another backup has is not in this one
  const kept = $derived(
    picks.things.filter((t) => t.scope !== 'remove' && t.backup === looked.left),
  );
  let exporting = $state(false);

  function accept(offer: Offer): void {
    picks.add(offer.path, offer.attribute, offer.part);
  }

  export async function preview(): Promise<void> {
    if (!live || !picks.things.length || waiting) return;
    waiting = true;
    error = undefined;
    try {
      const plan = await askPreview(looked, picks.things, policy, chosen);
      await openPlan(plan);
    } catch (problem) {
      error = problem as Error;
    } finally {
      waiting = false;
    }
  }
</script>

<aside
  class="flex min-h-0 flex-col border-l border-line {drawn
    ? 'max-[999px]:fixed max-[999px]:inset-y-0 max-[999px]:right-0 max-[999px]:z-20 max-[999px]:w-80 max-[999px]:bg-paper max-[999px]:shadow-xl'
    : 'max-[999px]:hidden'}"
  aria-label="Tray"
>
  <div class="min-h-0 flex-1 overflow-auto px-3.5 pt-2.5">
    <h2 class="flex justify-between font-semibold">
      Tray
      <span class="flex gap-2 font-normal text-ink-2">
        <button class="link min-[1000px]:hidden" onclick={onclose}>close</button>
        {#if picks.canUndo}<button class="link" onclick={() => picks.undo()}>take back</button>{/if}
        {#if picks.things.length}<button class="link" onclick={() => picks.clear()}>empty</button
          >{/if}
        {#if kept.length && !sides.left.startsWith('file ')}<button
            class="link"
            title="What is picked, as the backup has it"
            onclick={() => (exporting = true)}>save…</button
          >{/if}
      </span>
    </h2>
    {#if !live}
      <p class="mt-1 border-l-3 border-confirm pl-2.5 text-ink-2">
        The {sides.left} is compared with the {sides.right}, so nothing can be picked here: what is
        picked changes live, and live is not shown.
        <button class="link" onclick={() => searchParams.delete('right')}
          >Compare with live again</button
        >
      </p>
    {/if}
    {#if live && !picks.things.length}
      <p class="mt-1 text-ink-2">
        Empty. Pick a row in the tree with <kbd>Space</kbd>, or single values on the bench. What you
        pick shows what live will be; nothing is written yet.
      </p>
    {/if}
    <TrayThings {system} {picks} left={looked.left} {onchoose} />
    {#if needs.length}
      <h2 class="mt-3.5 flex justify-between font-semibold">
        Needs <span class="font-normal text-ink-2"
          >{count(needs.length, 'comes', 'come')} along</span
        >
      </h2>
      {#each needs as step (step.number)}
        <div
          class="grid grid-cols-[14px_minmax(0,1fr)] gap-1.5 border-b border-line py-1.5 text-ink-2"
        >
          <Mark state={MARKS[step.action]} />
          <span>{plainName(step.name)}<small class="block text-xs">{step.reason}</small></span>
        </div>
      {/each}
    {/if}
    {#if offers.length}
      <h2 class="mt-3.5 font-semibold">Belongs with it</h2>
      {#each offers as offer (JSON.stringify(offer))}
        <div class="border-b border-line py-1.5">
          <span class="text-ink-2"
            ><b class="font-semibold text-ink">{name(offer.path)}</b> had {name(offer.target)} in
            {offer.attribute}, and has not now.</span
          >
          <button class="link" onclick={() => accept(offer)}>put back too</button>
        </div>
      {/each}
    {/if}
    {#each minds as finding (finding.name)}
      <div
        class="mt-2.5 border-l-3 py-0.5 pl-2.5 text-sm {finding.level === 'stop'
          ? 'border-stop'
          : finding.level === 'confirm'
            ? 'border-confirm'
            : 'border-note'}"
      >
        {#if finding.path.length}<b class="font-semibold">{name(finding.path)}:</b>{/if}
        {finding.text}
      </div>
    {/each}
  </div>
  <div class="p-3.5">
    {#if error ?? shown.error}<div class="mb-2">
        <Trouble error={(error ?? shown.error)!} />
      </div>{/if}
    {#if live && picks.things.length}<RestoreChoices {system} />{/if}
    <button
      class="act main w-full py-2"
      disabled={!live || !steps.length || waiting}
      title="P"
      onclick={preview}
    >
      {waiting
        ? 'Asking the system…'
        : steps.length
          ? `Preview ${count(steps.length, 'step')}`
          : 'Preview'}
    </button>
  </div>
</aside>
{#if exporting}
  <ExportDialog
    bind:open={exporting}
    backup={looked.left}
    branches={kept.filter((t) => t.scope === 'branch').map((t) => t.path)}
    single={kept.filter((t) => t.scope !== 'branch').map((t) => t.path)}
    called="what is picked"
  />
{/if}
