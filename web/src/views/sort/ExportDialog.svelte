<script lang="ts">
  import Sheet from '$lib/parts/Sheet.svelte';
  import { createQuery } from '@tanstack/svelte-query';
  import { Dialog } from 'bits-ui';
  import { exportAddress, exportAhead, FORMS, save, SEALS, type ExportForm } from '$lib/api/files';
  import { session, systems } from '$lib/api/queries';
  import { count } from '$lib/model/differences';
  import { plainName, type Path } from '$lib/model/paths';
  import { bytes } from '$lib/model/time';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { route } from '../../routes';

  /** Gives some of a backup out as a file; what it will not hold is told before. */
  interface Props {
    open: boolean;
    backup: number;
    /** One place, with what is beneath it; all of the backup where it is the root. */
    path?: Path;
    /** Several places instead: with what is beneath them, and without. */
    branches?: Path[];
    single?: Path[];
    /** What all that is called. */
    called?: string;
  }
  let { open = $bindable(), backup, path = [], branches, single = [], called }: Props = $props();

  let form = $state<ExportForm>('archive');
  let alone = $state(false);
  let sealed = $state(false);
  let passphrase = $state('');
  let shown = $state(false);
  let error = $state<Error>();
  let waiting = $state(false);
  const person = createQuery(session);
  const all = createQuery(systems);
  const connector = $derived(all.data?.find((s) => `${s.id}` === route.params.system)?.connector);
  // entries are of directories alone
  const forms = $derived(FORMS.filter(([n]) => n !== 'ldif' || connector === 'directory'));
  const several = $derived(!!branches);
  const places = $derived(path.length ? [path] : []);
  const wanted = $derived({
    backup,
    form,
    branches: branches ?? (alone ? [] : places),
    single: several ? single : alone ? places : [],
  });
  const address = $derived(exportAddress(wanted));
  const ahead = createQuery(() => ({ ...exportAhead(wanted), enabled: open }));
  const name = $derived(called ?? (path.length ? plainName(path.at(-1)!) : 'the backup'));
  const help = $derived(FORMS.find(([value]) => value === form)![2]);
  const maySeal = $derived(person.data?.role === 'administrator' && SEALS.includes(form));
  const seals = $derived(sealed && maySeal);

  async function fetchAndSave(): Promise<void> {
    error = undefined;
    waiting = true;
    try {
      await save(wanted, seals ? passphrase : null, ahead.data?.name ?? 'backup');
      open = false;
    } catch (problem) {
      error = problem as Error;
    } finally {
      waiting = false;
    }
  }
</script>

<Sheet
  bind:open
  title="Save {name} to a file"
  description="As the backup has it. Secrets stay here unless you seal them."
  width={560}
>
  <div class="mt-3 grid grid-cols-[90px_minmax(0,1fr)] items-baseline gap-x-2 gap-y-2">
    <label for="export-form">Format</label>
    <div>
      <select id="export-form" class="field" bind:value={form}>
        {#each forms as [value, label] (value)}<option {value}>{label}</option>{/each}
      </select>
      <p class="mt-0.5 text-sm text-ink-2">{help}</p>
    </div>
    {#if path.length && !several}
      <span>Of it</span>
      <label class="flex items-baseline gap-2">
        <input type="checkbox" class="accent-pick" bind:checked={alone} />
        only the object itself, without what is beneath it
      </label>
    {/if}
    {#if maySeal}
      <span>Secrets</span>
      <div>
        <label class="flex items-baseline gap-2">
          <input type="checkbox" class="accent-pick" bind:checked={sealed} />
          seal them with a passphrase, so that they can be put back
        </label>
        {#if sealed}
          <input
            class="field mt-1 w-full"
            type="password"
            autocomplete="new-password"
            aria-label="Passphrase"
            placeholder="at least 8 letters; it is kept nowhere"
            bind:value={passphrase}
          />
        {/if}
      </div>
    {/if}
  </div>
  <div class="mt-3 min-h-10" role="status">
    {#if error ?? ahead.error}
      <Trouble error={(error ?? ahead.error)!} />
    {:else if ahead.data}
      <p>
        {count(ahead.data.objects, 'object')}, {bytes(ahead.data.bytes)}, as
        <span class="font-mono text-sm break-all">{ahead.data.name}</span>
      </p>
      {#if seals && ahead.data.secrets}
        <p class="text-sm text-ink-2">
          {count(ahead.data.secrets, 'secret')} in it, sealed as far as they are known here.
        </p>
      {:else if ahead.data.left_out_count}
        <button class="link text-sm" aria-expanded={shown} onclick={() => (shown = !shown)}
          >{ahead.data.secrets
            ? `${count(ahead.data.secrets, 'secret')} left out`
            : 'What it does not hold'}</button
        >
        {#if shown}
          <ul class="mt-1 max-h-48 overflow-auto border-l-3 border-confirm pl-2.5 text-sm">
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
    {#if seals || !address}
      <button
        class="act main"
        disabled={waiting || (seals && passphrase.length < 8)}
        onclick={fetchAndSave}>{waiting ? 'Making the file…' : 'Save the file'}</button
      >
    {:else}
      <a class="act main" href={address} download onclick={() => (open = false)}>Save the file</a>
    {/if}
    <Dialog.Close class="link ml-auto">close</Dialog.Close>
  </div>
</Sheet>
