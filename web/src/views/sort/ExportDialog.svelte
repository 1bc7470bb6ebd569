<script lang="ts">
  import Sheet from '$lib/parts/Sheet.svelte';
  import { createQuery } from '@tanstack/svelte-query';
  import { Dialog } from 'bits-ui';
  import { exportAhead, exportAddress, type ExportForm } from '$lib/api/queries';
  import { count } from '$lib/model/differences';
  import { plainName, type Path } from '$lib/model/paths';
  import { bytes } from '$lib/model/time';
  import Trouble from '$lib/parts/Trouble.svelte';

  /** Gives a branch of a backup out as a file; what it will not hold is told before. */
  interface Props {
    open: boolean;
    backup: number;
    path: Path;
  }
  let { open = $bindable(), backup, path }: Props = $props();

  const FORMS: [ExportForm, string, string][] = [
    [
      'archive',
      'archive',
      'a ZIP with all of it, that Keep Sort can check and other tools can read',
    ],
    ['json', 'JSON', 'one document, for scripts'],
    ['csv', 'CSV', 'a table, a row for each value, for spreadsheets'],
  ];
  let form = $state<ExportForm>('archive');
  let shown = $state(false);
  const ahead = createQuery(() => ({ ...exportAhead(backup, path, form), enabled: open }));
  const name = $derived(path.length ? plainName(path.at(-1)!) : 'the backup');
</script>

<Sheet
  bind:open
  title="Save {name} to a file"
  description="As the backup has it, with all beneath. Secrets stay here."
  width={540}
>
  <fieldset class="mt-3 grid gap-1">
    <legend class="sr-only">Format</legend>
    {#each FORMS as [value, label, help] (value)}
      <label class="flex items-baseline gap-2">
        <input type="radio" class="accent-pick" {value} bind:group={form} />
        <span><b class="font-semibold">{label}</b> <span class="text-ink-2">{help}</span></span>
      </label>
    {/each}
  </fieldset>
  <div class="mt-3 min-h-10" role="status">
    {#if ahead.error}
      <Trouble error={ahead.error} />
    {:else if ahead.data}
      <p>
        {count(ahead.data.objects, 'object')}, {bytes(ahead.data.bytes)}, as
        <span class="font-mono text-sm break-all">{ahead.data.name}</span>
      </p>
      {#if ahead.data.left_out_count}
        <button class="link text-sm" aria-expanded={shown} onclick={() => (shown = !shown)}
          >{ahead.data.secrets
            ? `${count(ahead.data.secrets, 'secret')} left out`
            : 'What it does not hold'}</button
        >
        {#if shown}
          <ul class="mt-1 border-l-3 border-confirm pl-2.5 text-sm">
            {#each ahead.data.left_out as one (one)}<li class="break-words">{one}</li>{/each}
            {#if ahead.data.left_out_count > ahead.data.left_out.length}
              <li>and {ahead.data.left_out_count - ahead.data.left_out.length} more</li>
            {/if}
          </ul>
        {/if}
      {:else}
        <p class="text-sm text-ink-2">Nothing is left out.</p>
      {/if}
    {:else}
      <p class="text-ink-2">Counting…</p>
    {/if}
  </div>
  <div class="mt-3 flex items-center gap-3">
    <a
      class="act main"
      href={exportAddress(backup, path, form)}
      download
      onclick={() => (open = false)}>Save the file</a
    >
    <Dialog.Close class="link ml-auto">close</Dialog.Close>
  </div>
</Sheet>
