<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import type { Rules } from '$lib/api/client';
  import { compareHead, hiddenBy, termsOf, type Looked } from '$lib/api/comparing';
  import { saveRules } from '$lib/api/queries';
  import { count } from '$lib/model/differences';
  import type { Ignorable } from '$lib/model/ignoring';
  import { setParameter } from '$lib/model/looked.svelte';
  import Sheet from '$lib/parts/Sheet.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';

  /** What is not to count any more, from where it was seen: how widely, and for whom. */
  interface Props {
    open: boolean;
    looked: Looked;
    what: Ignorable;
  }
  let { open = $bindable(), looked, what }: Props = $props();

  const head = createQuery(() => compareHead(looked));
  const choices = $derived(
    [
      {
        words: `${what.label} of every ${what.kindLabel}`,
        rules: { attributes: [`${what.kind}:${what.attribute}`] },
      },
      { words: `${what.label} of any object`, rules: { attributes: [what.attribute] } },
      {
        words: `all of ${what.pattern || 'this place'}, and what is beneath it`,
        rules: { paths: [what.pattern] },
      },
    ].filter((one) => !one.rules.paths || what.pattern),
  );
  const hides = createQuery(() =>
    hiddenBy(
      termsOf(looked),
      choices.map((one) => one.rules),
    ),
  );
  let chosen = $state(0);
  let error = $state<Error>();

  /** The rules that hold now, and the chosen one with them. */
  const together = $derived.by((): Rules | undefined => {
    const now = head.data?.rules as Rules | undefined;
    const more: Partial<Rules> = choices[chosen]?.rules ?? {};
    return (
      now && {
        ...now,
        attributes: [...new Set([...(now.attributes ?? []), ...(more.attributes ?? [])])],
        paths: [...new Set([...(now.paths ?? []), ...(more.paths ?? [])])],
      }
    );
  });

  function forThisLook(): void {
    setParameter('rules', JSON.stringify(together));
    open = false;
  }

  async function save(): Promise<void> {
    error = undefined;
    try {
      await saveRules(head.data!.right.system, together!);
      setParameter('rules', undefined);
      open = false;
    } catch (problem) {
      error = problem as Error;
    }
  }
</script>

<Sheet
  bind:open
  title="Ignore this"
  description="What differs only in what is ignored is hidden, and counted. Nothing is written by it, and whatever is hidden can be shown again."
>
  <div class="grid gap-1.5" role="radiogroup" aria-label="How widely">
    {#each choices as { words }, n (words)}
      <label class="flex items-baseline gap-2">
        <input type="radio" class="accent-pick" name="how widely" value={n} bind:group={chosen} />
        <span class="min-w-0 break-words">{words}</span>
        <span class="ml-auto shrink-0 text-sm text-ink-2">
          {#if hides.data}hides something of {count(hides.data.hides[n]!, 'object')} now{:else if hides.error}how
            much it hides is not known{:else}counting…{/if}
        </span>
      </label>
    {/each}
  </div>
  {#if hides.error ?? error}<div class="mt-2"><Trouble error={(hides.error ?? error)!} /></div>{/if}
  <div class="mt-4 flex gap-3">
    <button class="act main" disabled={!together} onclick={forThisLook}>Ignore in this look</button>
    <button class="act" disabled={!together} onclick={save}>Save it for everybody</button>
    <button class="link ml-auto" onclick={() => (open = false)}>close</button>
  </div>
</Sheet>
