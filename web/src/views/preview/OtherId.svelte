<script lang="ts">
  import type { Finding } from '$lib/api/client';
  import { askElsewhere } from '$lib/api/queries';
  import { createDoing } from '$lib/model/doing.svelte';
  import { plainName } from '$lib/model/paths';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { openPlan } from './open';

  /** The way out where live may have another object by the same id: both of them side by side. */
  interface Props {
    finding: Finding;
    backup: number;
    system: number;
  }
  let { finding, backup, system }: Props = $props();

  const doing = createDoing();

  const preview = (): void =>
    doing.run('preview', async () => {
      const plan = await askElsewhere({
        backup,
        paths: [finding.path],
        system,
        at: finding.path.slice(0, -1),
        clash: 'rename',
      });
      await openPlan(plan);
    });
</script>

<button type="button" class="act" disabled={!!doing.busy} onclick={preview}>
  {doing.busy
    ? 'Looking for a free id…'
    : `Instead put ${plainName(finding.path.at(-1)!)} beside it, with another id`}
</button>
{#if doing.error}<Trouble error={doing.error} />{/if}
