<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { dropFile, file } from '$lib/api/files';
  import KeyHints from '$lib/parts/KeyHints.svelte';
  import Title from '$lib/parts/Title.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { navigate, route } from '../../routes';
  import Browser from './Browser.svelte';
  import FileFacts from './FileFacts.svelte';
  import Targets from './Targets.svelte';

  const number = $derived(Number(route.params.file));
  const found = createQuery(() => file(number));
  let error = $state<Error>();

  async function drop(): Promise<void> {
    try {
      await dropFile(number);
      await navigate('/files');
    } catch (problem) {
      error = problem as Error;
    }
  }
</script>

<Title text={found.data?.name ?? 'File'} />
<div class="grid min-h-0 grid-rows-[minmax(0,1fr)_auto]">
  <main tabindex="-1" class="grid min-h-0 grid-rows-[auto_minmax(0,1fr)]">
    {#if found.error}
      <div class="p-5"><Trouble error={found.error} /></div>
    {:else if found.data}
      <header class="border-b border-line bg-sheet px-5 py-3">
        <div class="flex items-baseline gap-4">
          <h1 class="text-xl font-semibold tracking-tight break-all">{found.data.name}</h1>
          <a class="link ml-auto" href="/files">all files</a>
          <button class="link" title="What was restored from it stays" onclick={drop}
            >let go of it</button
          >
        </div>
        <FileFacts file={found.data} />
        {#if error}<Trouble {error} />{/if}
        {#key found.data.id}<Targets file={found.data} />{/key}
      </header>
      {#key found.data.id}<Browser file={found.data} />{/key}
    {/if}
  </main>
  <KeyHints keys={[]} note="What stands here is the file's; nothing live stands behind it." />
</div>
