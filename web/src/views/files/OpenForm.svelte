<script lang="ts">
  import { openFile, READ, type ReadForm } from '$lib/api/files';
  import { dropped } from '$lib/model/dropped.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { navigate } from '../../routes';

  /** Opens a file: chosen, or dropped on the window. A person says what only a person can know. */
  let form = $state<ReadForm | ''>('');
  let passphrase = $state('');
  let error = $state<Error>();
  let opening = $state('');
  let input = $state<HTMLInputElement>();

  $effect(() => {
    const found = dropped.take();
    if (found) void open(found);
  });

  async function open(source: File | undefined): Promise<void> {
    if (!source || opening) return;
    error = undefined;
    opening = source.name;
    try {
      const file = await openFile(source, form || undefined, passphrase || undefined);
      await navigate('/files/:file', { params: { file: String(file.id) } });
    } catch (problem) {
      error = problem as Error;
    } finally {
      opening = '';
      if (input) input.value = '';
    }
  }
</script>

<div class="border border-dashed border-line-strong bg-sheet px-4 py-3">
  <div class="flex flex-wrap items-center gap-x-4 gap-y-2">
    <label class="act main relative overflow-hidden focus-within:outline-2">
      {opening ? `Opening ${opening}…` : 'Open a file'}
      <input
        bind:this={input}
        type="file"
        class="absolute inset-0 cursor-pointer opacity-0"
        disabled={!!opening}
        onchange={() => void open(input?.files?.[0])}
      />
    </label>
    <span class="text-ink-2">or drop one anywhere on the window.</span>
    <label class="ml-auto flex items-center gap-1.5 text-sm text-ink-2">
      format
      <select class="field" bind:value={form}>
        <option value="">by its content</option>
        {#each READ as [value, label] (value)}<option {value}>{label}</option>{/each}
      </select>
    </label>
    <input
      class="field w-52"
      type="password"
      autocomplete="off"
      aria-label="Passphrase of sealed secrets"
      placeholder="passphrase, if it is sealed"
      bind:value={passphrase}
    />
  </div>
  {#if error}<div class="mt-2"><Trouble {error} /></div>{/if}
</div>
