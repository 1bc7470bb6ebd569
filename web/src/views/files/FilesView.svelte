<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { files } from '$lib/api/files';
  import { count } from '$lib/model/differences';
  import { bytes } from '$lib/model/time';
  import Ago from '$lib/parts/Ago.svelte';
  import KeyHints from '$lib/parts/KeyHints.svelte';
  import Title from '$lib/parts/Title.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import FileFacts from './FileFacts.svelte';
  import OpenForm from './OpenForm.svelte';

  const all = createQuery(files);
</script>

<Title text="Files" />
<div class="grid min-h-0 grid-rows-[minmax(0,1fr)_auto]">
  <main tabindex="-1" class="overflow-auto px-5 py-3">
    <h1 class="mb-2 text-xl font-semibold tracking-tight">Files</h1>
    <OpenForm />
    {#if all.error}<div class="mt-3"><Trouble error={all.error} /></div>{/if}
    {#if all.data?.length}
      <ul class="mt-4">
        {#each all.data as file (file.id)}
          <li class="grid grid-cols-[minmax(0,1fr)_auto] gap-x-6 border-b border-line py-2.5">
            <div class="min-w-0">
              <a class="link font-semibold" href="/files/{file.id}">{file.name}</a>
              <FileFacts {file} />
            </div>
            <div class="text-right text-sm text-ink-2">
              {count(file.objects, 'object')}, {bytes(file.bytes)}<br />
              opened <Ago at={file.opened_at} />{file.by ? ` by ${file.by}` : ''}
            </div>
          </li>
        {/each}
      </ul>
    {:else if all.data}
      <div class="mt-5 max-w-2xl">
        <p class="font-semibold">No file is open.</p>
        <p class="mt-1 text-ink-2">
          An archive or a text saved here, a table that was edited, entries of a directory, a file
          that a colleague sent: opened, it can be looked into, compared with a live system or a
          backup, and picked from.
        </p>
      </div>
    {/if}
  </main>
  <KeyHints
    keys={[]}
    note="Opening a file changes nothing live. Files are let go of after 30 days."
  />
</div>
