<script lang="ts">
  import type { Finding } from '$lib/api/client';
  import { askElsewhere } from '$lib/api/queries';
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

  let waiting = $state(false);
  let error = $state<Error>();

  async function preview(): Promise<void> {
    waiting = true;
    error = undefined;
    try {
      await openPlan(
        await askElsewhere({
          backup,
          paths: [finding.path],
          system,
          at: finding.path.slice(0, -1),
          clash: 'rename',
        }),
      );
    } catch (problem) {
      error = problem as Error;
    } finally {
      waiting = false;
    }
  }
</script>

<button type="button" class="act" disabled={waiting} onclick={preview}>
  {waiting
    ? 'Looking for a free id…'
    : `Instead put ${plainName(finding.path.at(-1)!)} beside it, with another id`}
</button>
{#if error}<Trouble {error} />{/if}
