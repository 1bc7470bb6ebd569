<script lang="ts">
  import { tick } from 'svelte';
  import type { Plan } from '$lib/api/client';
  import { count } from '$lib/model/differences';
  import { saveText } from '$lib/model/saving';
  import StepArticle from '$lib/parts/StepArticle.svelte';

  /** All steps of a plan as one text to read: what is deleted stands apart, before the rest. */
  let { plan }: { plan: Plan } = $props();

  /** So many more are drawn each time the end of what is drawn comes into sight. */
  const MORE = 60;
  let drawn = $state(MORE);
  let copied = $state('');
  const deletes = $derived(plan.steps.filter((step) => step.action === 'delete'));
  const others = $derived(plan.steps.filter((step) => step.action !== 'delete'));
  const ordered = $derived([...deletes, ...others]);
  const shown = $derived(ordered.slice(0, drawn));

  function grows(end: HTMLElement): { destroy: () => void } {
    const seen = new IntersectionObserver((found) => {
      if (found.some((one) => one.isIntersecting)) drawn += MORE;
    });
    seen.observe(end);
    return { destroy: () => seen.disconnect() };
  }

  /** Shows a step, by its number. */
  export async function show(number: number): Promise<void> {
    const at = ordered.findIndex((step) => step.number === number);
    drawn = Math.max(drawn, at + MORE);
    await tick();
    document.getElementById(`step-${number}`)?.scrollIntoView({ block: 'start' });
  }

  /** All that is sent, as one text. */
  const all = $derived(plan.steps.map((step) => step.rendered).filter(Boolean));

  async function copy(): Promise<void> {
    try {
      await navigator.clipboard.writeText(`${all.join('\n')}\n`);
      copied = `${count(all.length, 'step')} copied`;
    } catch {
      copied = 'The browser does not allow it here; “save” gives the same as a file.';
    }
  }

  const sent = $derived(`sent to ${plan.system_name}`);
</script>

{#snippet heading(text: string, grave: boolean)}
  <h2
    class="mb-2 flex flex-wrap items-baseline gap-x-3 border-b-2 pb-0.5 font-semibold {grave
      ? 'border-stop text-stop'
      : 'border-line-strong'}"
  >
    {text}
  </h2>
{/snippet}

{#if all.length}
  <p class="float-right flex items-baseline gap-3 text-sm">
    {#if copied}<span role="status" class="text-ink-2">{copied}</span>{/if}
    <button class="link" title="All that is sent, as text" onclick={copy}>copy all</button>
    <button
      class="link"
      title="All that is sent, as a file"
      onclick={() => saveText(`preview-${plan.id}.txt`, `${all.join('\n')}\n`)}>save</button
    >
  </p>
{/if}
{#if deletes.length}
  {@render heading(
    `${count(deletes.length, 'object')} ${deletes.length === 1 ? 'is' : 'are'} deleted from ${plan.system_name}`,
    true,
  )}
  {#each shown.filter((step) => step.action === 'delete') as step (step.number)}
    <StepArticle {step} {sent} />
  {/each}
{/if}
{#if others.length}
  {@render heading(deletes.length ? 'The other steps' : 'What changes', false)}
  {#each shown.filter((step) => step.action !== 'delete') as step (step.number)}
    <StepArticle {step} {sent} />
  {/each}
{/if}
{#if drawn < ordered.length}
  <p use:grows class="py-3 text-ink-2">{count(ordered.length - drawn, 'more step')}…</p>
{/if}
{#if !ordered.length}
  <p class="text-ink-2">No step is needed: live is already as picked.</p>
{/if}
