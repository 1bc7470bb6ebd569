<script lang="ts">
  import type { Finding } from '$lib/api/client';
  import { askPreviewAgain } from '$lib/api/queries';
  import { createDoing } from '$lib/model/doing.svelte';
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
  const doing = createDoing();

  const preview = (): void =>
    doing.run('preview', async () => {
      const renamed = [{ kind: finding.kind, former: finding.attribute, now }];
      await openPlan(await askPreviewAgain(plan, { renamed, remember }));
    });
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
    <button type="button" class="act" disabled={!!doing.busy} onclick={preview}>
      {doing.busy ? 'Looking…' : 'Preview so'}
    </button>
  {/if}
</span>
{#if doing.error}<Trouble error={doing.error} />{/if}
