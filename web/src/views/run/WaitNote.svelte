<script lang="ts">
  import type { Run } from '$lib/api/client';
  import { changeWait } from '$lib/api/running';
  import { exact } from '$lib/model/time';
  import Trouble from '$lib/parts/Trouble.svelte';

  /** What a run waits for, until when, and what a person can do about it. */
  let { run }: { run: Run } = $props();

  const HOUR = 60;
  let error = $state<Error>();

  async function wait(minutes: number): Promise<void> {
    error = undefined;
    try {
      await changeWait(run.id, minutes);
    } catch (problem) {
      error = problem as Error;
    }
  }
</script>

<div class="mt-2 border-l-3 border-confirm pl-2.5" role="status">
  <p>{run.waits}</p>
  {#if run.waits_until}
    <p class="mt-1 flex flex-wrap items-center gap-2.5 text-ink-2">
      <span>
        It goes on by itself as soon as {run.system_name} answers. If that is not before {exact(
          run.waits_until,
        )}, it ends, and says what is not known.
      </span>
      <button class="act" onclick={() => wait(run.wait_minutes + HOUR)}>Wait an hour longer</button>
      <button class="act" onclick={() => wait(0)}>Stop waiting</button>
    </p>
  {/if}
  {#if error}<Trouble {error} />{/if}
</div>
