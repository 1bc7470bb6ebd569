<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { askWork } from '$lib/api/queries';
  import { expected } from '$lib/api/practice';
  import type { AskedFor } from '$lib/model/asked';
  import { createDoing } from '$lib/model/doing.svelte';
  import { whenOpened } from '$lib/model/opening.svelte';
  import { plainName, type Path } from '$lib/model/paths';
  import Expectation from './Expectation.svelte';
  import Sheet from './Sheet.svelte';
  import Trouble from './Trouble.svelte';

  /** Keeps a branch before it is touched: a note is offered, Enter keeps. */
  interface Props {
    open: boolean;
    system: { id: number; name: string };
    at: Path;
    onasked: (asked: AskedFor) => void;
  }
  let { open = $bindable(), system, at, onasked }: Props = $props();

  let note = $state('');
  let pinned = $state(false);
  const doing = createDoing();
  const ahead = createQuery(() => ({ ...expected(system.id, at), enabled: open }));
  const what = $derived(at.length ? plainName(at.at(-1)!) : `all of ${system.name}`);

  whenOpened(
    () => open,
    () => {
      note = 'before: ';
      pinned = false;
      doing.clear();
    },
  );

  function keep(event: SubmitEvent): void {
    event.preventDefault();
    doing.run('keep', async () => {
      const said = note.trim() === 'before:' ? '' : note.trim();
      onasked({ number: await askWork(system.id, 'backup', at, said, pinned), kind: 'backup', at });
      open = false;
    });
  }

  function begin(input: HTMLInputElement): void {
    input.focus();
    input.setSelectionRange(input.value.length, input.value.length);
  }
</script>

<Sheet bind:open title="Keep {what} as it is now" width={460}>
  <form onsubmit={keep}>
    <label class="block text-sm text-ink-2" for="keep-note">A note to find it by</label>
    <input
      id="keep-note"
      class="field mb-2 w-full"
      maxlength="400"
      bind:value={note}
      {@attach begin}
    />
    <label class="flex items-center gap-2">
      <input type="checkbox" class="accent-pick" bind:checked={pinned} /> pin it, so that it is never
      dropped
    </label>
    <p class="mt-2 text-sm text-ink-2"><Expectation expected={ahead.data} /></p>
    {#if doing.error}<Trouble error={doing.error} />{/if}
    <div class="mt-3 flex justify-end gap-2.5">
      <button type="button" class="act" onclick={() => (open = false)}>Back</button>
      <button class="act main" disabled={!!doing.busy}>Keep it</button>
    </div>
  </form>
</Sheet>
