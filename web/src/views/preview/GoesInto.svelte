<script lang="ts">
  import type { Finding } from '$lib/api/client';
  import { askPreviewAgain } from '$lib/api/queries';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { openPlan } from './open';

  /** Where an attribute goes that live does not know any more: it may be called otherwise now. */
  interface Props {
    finding: Finding;
    plan: number;
    system: string;
  }
  let { finding, plan, system }: Props = $props();

  let now = $state('');
  let remember = $state(true);
  let waiting = $state(false);
  let error = $state<Error>();

  async function preview(): Promise<void> {
    waiting = true;
    error = undefined;
    const renamed = [{ kind: finding.kind, former: finding.attribute, now }];
    try {
      await openPlan(await askPreviewAgain(plan, { renamed, remember }));
    } catch (problem) {
      error = problem as Error;
    } finally {
      waiting = false;
    }
  }
</script>

<span class="mt-1 flex flex-wrap items-center gap-2">
  <b class="font-mono text-sm font-normal">{finding.attribute}</b> is
  <select class="field font-mono text-sm" bind:value={now} aria-label="What it is called now">
    <option value="">left out</option>
    {#each finding.choices as name (name)}<option value={name}>called {name} now</option>{/each}
  </select>
  {#if now}
    <label class="flex items-center gap-1.5">
      <input type="checkbox" class="accent-pick" bind:checked={remember} />
      remember it for {system}
    </label>
    <button type="button" class="act" disabled={waiting} onclick={preview}>
      {waiting ? 'Looking…' : 'Preview so'}
    </button>
  {/if}
</span>
{#if error}<Trouble {error} />{/if}
