<script lang="ts">
  import Sheet from '$lib/parts/Sheet.svelte';
  import { Dialog } from 'bits-ui';
  import type { Rules, System } from '$lib/api/client';
  import { type Looked } from '$lib/api/comparing';
  import { saveRules } from '$lib/api/queries';
  import { setParameter } from '$lib/model/looked.svelte';
  import { whenOpened } from '$lib/model/opening.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import RulesHide from './RulesHide.svelte';

  /** Ignore rules: what does not count, for this look or for everybody who looks at the system. */
  interface Props {
    open: boolean;
    system: System;
    rules: Rules;
    looked: Looked;
    /** How alike a suggestion must be, as it holds here. */
    likeness: number;
  }
  let { open = $bindable(), system, rules, looked, likeness }: Props = $props();

  let draft = $state<Partial<Rules>>({});
  let comments = $state('');
  let attributes = $state('');
  let paths = $state('');
  let alike = $state(0);
  let error = $state<Error>();

  whenOpened(
    () => open,
    () => {
      draft = { ...rules };
      comments = (rules.comments ?? []).join('\n');
      attributes = (rules.attributes ?? []).join('\n');
      paths = (rules.paths ?? []).join('\n');
      alike = Math.round(likeness * 100);
      error = undefined;
    },
  );

  const listed = (text: string): string[] =>
    text
      .split('\n')
      .map((line) => line.trim())
      .filter(Boolean);
  const written = (): Rules => ({
    letter_case: draft.letter_case ?? false,
    order: draft.order ?? false,
    blank_lines: draft.blank_lines ?? false,
    space: draft.space ?? '',
    comments: listed(comments),
    attributes: listed(attributes),
    paths: listed(paths),
  });

  function setAlike(): void {
    setParameter('alike', alike === Math.round(likeness * 100) ? looked.alike : alike / 100);
  }

  function forThisLook(): void {
    setParameter('rules', JSON.stringify(written()));
    setAlike();
    open = false;
  }

  async function save(): Promise<void> {
    error = undefined;
    try {
      await saveRules(system.id, written());
      setParameter('rules', undefined);
      setAlike();
      open = false;
    } catch (problem) {
      error = problem as Error;
    }
  }

  const SPACES = [
    ['', 'counts'],
    ['ends', 'not at the ends of lines'],
    ['runs', 'not how much of it'],
    ['all', 'not at all'],
  ] as const;
</script>

{#snippet patterns(label: string, hint: string, value: string, set: (text: string) => void)}
  <label class="grid gap-0.5">
    <span>{label} <small class="text-xs text-ink-3">{hint}</small></span>
    <textarea
      rows="2"
      class="resize-y rounded border border-line-strong bg-paper px-2 py-1 font-mono text-sm"
      {value}
      oninput={(event) => set(event.currentTarget.value)}></textarea>
  </label>
{/snippet}

<Sheet
  bind:open
  title="What does not count"
  description="Differences that only these make are hidden, and counted. A restore of a whole object still puts all of it back."
  width={600}
>
  <div class="grid gap-3">
    <div class="grid grid-cols-2 gap-x-4 gap-y-1">
      <label class="flex items-center gap-2 whitespace-nowrap"
        ><input type="checkbox" class="accent-pick" bind:checked={draft.letter_case} /> letter case</label
      >
      <label class="flex items-center gap-2 whitespace-nowrap"
        ><input type="checkbox" class="accent-pick" bind:checked={draft.order} /> order in sequences</label
      >
      <label class="flex items-center gap-2 whitespace-nowrap"
        ><input type="checkbox" class="accent-pick" bind:checked={draft.blank_lines} /> blank lines in
        texts</label
      >
      <label class="flex items-center gap-2 whitespace-nowrap"
        >white space
        <select
          class="rounded border border-line-strong bg-paper px-1 py-0.5"
          bind:value={draft.space}
        >
          {#each SPACES as [value, label] (value)}<option {value}>{label}</option>{/each}
        </select></label
      >
    </div>
    {@render patterns(
      'Comment marks',
      'lines of texts that begin with one; for one kind only: ini ;',
      comments,
      (text) => (comments = text),
    )}
    {@render patterns(
      'Attributes',
      'one a line; * and ? stand for anything; of one kind only: kind:attribute',
      attributes,
      (text) => (attributes = text),
    )}
    {@render patterns(
      'Places',
      'one a line, from the root with slashes; all beneath is hidden too',
      paths,
      (text) => (paths = text),
    )}
    <label class="flex items-center gap-3">
      <span class="whitespace-nowrap">Suggest a move from</span>
      <input type="range" min="10" max="100" step="5" class="w-40 accent-pick" bind:value={alike} />
      <span class="font-mono">{alike} %</span> alike
    </label>
    <RulesHide {looked} rules={written()} />
    {#if error}<Trouble {error} />{/if}
    <div class="flex items-center gap-3">
      <button class="act main" onclick={forThisLook}>Use for this look</button>
      <button class="act" onclick={save}>Save for {system.name}</button>
      <Dialog.Close class="link ml-auto">close</Dialog.Close>
    </div>
  </div>
</Sheet>
