<script lang="ts">
  import type { System } from '$lib/api/client';
  import { saveWatched } from '$lib/api/queries';
  import { whenOpened } from '$lib/model/opening.svelte';
  import Sheet from '$lib/parts/Sheet.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';

  /** What a system is grouped by, and which of its differences are urgent, or minor. */
  let { open = $bindable(), system }: { open: boolean; system: System } = $props();

  let tags = $state('');
  let urgent = $state('');
  let minor = $state('');
  let error = $state<Error>();

  whenOpened(
    () => open,
    () => {
      tags = system.tags.join(', ');
      urgent = system.urgent.join('\n');
      minor = system.minor.join('\n');
      error = undefined;
    },
  );

  const parts = (text: string, by: string): string[] =>
    text
      .split(by)
      .map((one) => one.trim())
      .filter(Boolean);

  async function save(): Promise<void> {
    error = undefined;
    try {
      await saveWatched(system.id, {
        tags: parts(tags, ','),
        urgent: parts(urgent, '\n'),
        minor: parts(minor, '\n'),
      });
      open = false;
    } catch (problem) {
      error = problem as Error;
    }
  }
</script>

<Sheet
  bind:open
  title="How {system.name} is watched"
  description="It holds for everybody. What is urgent comes first on Watch, what is minor last; nothing is hidden by it."
>
  <form
    class="grid gap-3"
    onsubmit={(event) => {
      event.preventDefault();
      void save();
    }}
  >
    <label class="grid gap-0.5">
      <span
        >Tags <small class="text-xs text-ink-3">words to group systems by, with commas</small></span
      >
      <input class="field" bind:value={tags} />
    </label>
    <label class="grid gap-0.5">
      <span
        >Urgent <small class="text-xs text-ink-3"
          >one a line: an attribute, kind:attribute, kind:* for objects of a kind, or /a/place and
          all beneath it</small
        ></span
      >
      <textarea class="field font-mono text-sm" rows="4" bind:value={urgent}></textarea>
    </label>
    <label class="grid gap-0.5">
      <span>Minor <small class="text-xs text-ink-3">written the same way</small></span>
      <textarea class="field font-mono text-sm" rows="3" bind:value={minor}></textarea>
    </label>
    {#if error}<Trouble {error} />{/if}
    <div class="flex gap-3">
      <button class="act main" type="submit">Save for everybody</button>
      <button class="link ml-auto" type="button" onclick={() => (open = false)}>close</button>
    </div>
  </form>
</Sheet>
