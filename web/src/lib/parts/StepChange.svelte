<script lang="ts">
  import type { Attribute, Shown, Step, Stretch } from '$lib/api/client';
  import { plainName } from '$lib/model/paths';
  import { referenceOf } from '$lib/model/steps';
  import StepText from './StepText.svelte';

  interface Props {
    step: Step;
    /** Whether the step lies behind us: then nothing of it is "now". */
    past?: boolean;
  }
  /** What one step changes: every attribute before and after it. */
  let { step, past = false }: Props = $props();

  const changed = $derived(step.attributes.filter((a) => a.state !== 'same'));
  /** A reference by its name alone, unless the other side has that name too: then by its place. */
  const text = (value: Shown, others: Shown[] = []): string =>
    value.form === 'reference' && value.path?.length
      ? referenceOf(
          value.path,
          others.map((o) => o.path),
        )
      : value.text;
  const lines = (pieces: string[][]): string => pieces.map((p) => p.join('')).join('\n') || '—';
  /** Of equal lines those right before and after a hunk; dots stand for the others. */
  function around(same: Stretch, many: number, first: boolean, last: boolean): string[][] {
    const all = same.left;
    const dots = [['⋯']];
    if (all.length <= (first || last ? many : 2 * many) && !same.folded) return all;
    if (first) return [...dots, ...all.slice(-many)];
    if (last) return [...all.slice(0, many), ...dots];
    return [...all.slice(0, many), ...dots, ...all.slice(-many)];
  }
  const note = (a: Attribute): string =>
    a.secret
      ? 'secret'
      : a.shape === 'set' && a.state === 'changed'
        ? a.both.length
          ? `set · ${a.both.length} stay`
          : 'set'
        : '';
</script>

<div role="table" aria-label="What the step changes">
  <div
    role="row"
    class="grid grid-cols-[140px_minmax(0,1fr)_minmax(0,1fr)] gap-x-2.5 border-b border-line-strong py-0.5 text-sm text-ink-2"
  >
    <span role="columnheader">attribute</span><span role="columnheader"
      >{past ? 'before this step' : 'now'}</span
    ><span role="columnheader">{past ? 'as planned after it' : 'after this step'}</span>
  </div>
  {#if step.action === 'move'}
    <div
      role="row"
      class="grid grid-cols-[140px_minmax(0,1fr)_minmax(0,1fr)] gap-x-2.5 border-b border-line py-1.5 font-mono text-sm"
    >
      <span role="rowheader" class="font-sans text-ink-2">place</span>
      <span role="cell" class="break-words">{step.path.map(plainName).join(' / ')}</span>
      <span role="cell" class="font-semibold break-words text-pick"
        >{(step.to ?? []).map(plainName).join(' / ')}</span
      >
    </div>
  {/if}
  {#each changed as attribute (attribute.name)}
    <div
      role="row"
      class="grid grid-cols-[140px_minmax(0,1fr)_minmax(0,1fr)] gap-x-2.5 border-b border-line py-1.5"
    >
      <span role="rowheader" class="text-ink-2">
        {attribute.label}
        {#if attribute.unit}<small class="text-xs text-ink-3">{attribute.unit}</small>{/if}
        {#if note(attribute)}<small class="block text-xs text-ink-3">{note(attribute)}</small>{/if}
      </span>
      {#if attribute.stretches.length}
        <div role="cell" aria-colspan="2" class="col-span-2 grid gap-1 font-mono text-sm">
          {#each attribute.stretches as stretch, n (n)}
            {#if stretch.state === 'same'}
              <!-- some lines around a hunk say where it is -->
              {@const last = n === attribute.stretches.length - 1}
              <div class="break-words whitespace-pre-wrap text-ink-3">
                {lines(around(stretch, attribute.context, n === 0, last))}
              </div>
            {:else}
              <div class="grid grid-cols-2 gap-x-2.5">
                <div class="break-words whitespace-pre-wrap">{lines(stretch.left)}</div>
                <div class="font-semibold break-words whitespace-pre-wrap text-pick">
                  {lines(stretch.right)}
                </div>
              </div>
            {/if}
          {/each}
        </div>
      {:else if attribute.keys.length}
        <div role="cell" aria-colspan="2" class="col-span-2 grid gap-1 font-mono text-sm">
          {#each attribute.keys as key (key.number)}
            <div class="grid grid-cols-2 gap-x-2.5">
              <div class="break-words">
                {key.keys.join(' › ')}: {key.left ? text(key.left) : '—'}
              </div>
              <div class="font-semibold break-words text-pick">
                {key.keys.join(' › ')}: {key.right ? text(key.right) : '—'}
              </div>
            </div>
          {/each}
        </div>
      {:else}
        <div role="cell" class="min-w-0 font-mono text-sm break-words">
          {#each attribute.left as value, n (n)}<div>
              {#if attribute.shape === 'text'}<StepText text={value.text} />{:else}{text(
                  value,
                  attribute.right,
                )}{/if}
            </div>{:else}<span class="text-ink-3">—</span>{/each}
        </div>
        <div role="cell" class="min-w-0 font-mono text-sm font-semibold break-words text-pick">
          {#each attribute.right as value, n (n)}<div>
              {#if attribute.shape === 'text'}<StepText text={value.text} />{:else}{text(
                  value,
                  attribute.left,
                )}{/if}
            </div>{:else}<span class="font-normal text-ink-3">—</span>{/each}
        </div>
      {/if}
    </div>
  {/each}
</div>
{#if !changed.length && step.action !== 'move'}<p class="py-2 text-ink-2">
    No attribute changes.
  </p>{/if}
