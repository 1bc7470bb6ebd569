<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { searchParams } from 'sv-router';
  import type { OpenedFile } from '$lib/api/client';
  import { fileObject, searchFile } from '$lib/api/files';
  import { count } from '$lib/model/differences';
  import { plainName, samePath, type Path } from '$lib/model/paths';
  import Trouble from '$lib/parts/Trouble.svelte';

  /** Looks into a file: what is beneath a place on the left, what the object holds on the right. */
  let { file }: { file: OpenedFile } = $props();

  const written = $derived(searchParams.get('at')?.toString());
  const path = $derived.by((): Path => {
    try {
      return written ? (JSON.parse(written) as Path) : [];
    } catch {
      return [];
    }
  });
  let start = $state(0);
  let text = $state('');
  let sought = $state('');
  const shown = createQuery(() => fileObject(file.id, path));
  // where nothing is beneath the object, what stands beside it is listed
  const at = $derived(shown.data?.total === 0 && path.length ? path.slice(0, -1) : path);
  const listed = createQuery(() => fileObject(file.id, at, start));
  const found = createQuery(() => ({ ...searchFile(file.id, sought), enabled: !!sought }));

  function go(to: Path): void {
    // beside the object that was shown, the page stays where it is
    if (JSON.stringify(to.slice(0, -1)) !== JSON.stringify(at)) start = 0;
    sought = '';
    searchParams.set('at', JSON.stringify(to));
  }
</script>

{#snippet rows(
  list: { path: string[]; name: string; kind_label: string; objects: number }[],
  full: boolean,
)}
  <ul>
    {#each list as one (one.path.join('\0'))}
      <li>
        <button
          class="flex w-full items-baseline gap-2 border-l-3 px-4.5 py-1 text-left hover:bg-sunk {samePath(
            one.path,
            path,
          )
            ? 'border-ink bg-sheet font-semibold'
            : 'border-transparent'}"
          aria-current={samePath(one.path, path) ? 'true' : undefined}
          onclick={() => go(one.path)}
        >
          <span class="min-w-0 truncate"
            >{full ? one.path.map(plainName).join(' / ') : plainName(one.name) || '/'}</span
          >
          <span class="ml-auto shrink-0 text-sm text-ink-2"
            >{one.objects > 1 ? count(one.objects, 'object') : one.kind_label}</span
          >
        </button>
      </li>
    {/each}
  </ul>
{/snippet}

<div class="grid min-h-0 grid-cols-[minmax(260px,36%)_minmax(0,1fr)]">
  <nav class="min-h-0 overflow-auto border-r border-line py-2" aria-label="What is in the file">
    <form
      class="px-5 pb-2"
      onsubmit={(event) => {
        event.preventDefault();
        sought = text.trim();
      }}
    >
      <input
        class="field w-full"
        type="search"
        placeholder="search this file, Enter"
        aria-label="Search this file"
        bind:value={text}
      />
    </form>
    {#if sought}
      {#if found.error}<Trouble error={found.error} />{/if}
      {#if found.data}
        <p class="px-5 text-sm text-ink-2">
          {count(found.data.found.length, 'object')} with “{sought}”{found.data.searched_all
            ? ''
            : ', the first of them'} ·
          <button class="link" onclick={() => (sought = '')}>back to the tree</button>
        </p>
        {@render rows(found.data.found, true)}
      {/if}
    {:else if listed.data}
      <p class="flex flex-wrap items-baseline gap-x-1 px-5 pb-1 text-sm">
        <button class="link" onclick={() => go([])}>top</button>
        {#each at as name, depth (depth)}
          <span class="text-ink-3">/</span>
          <button class="link" onclick={() => go(at.slice(0, depth + 1))}>{plainName(name)}</button>
        {/each}
      </p>
      {@render rows(listed.data.children, false)}
      {#if !listed.data.total}<p class="px-5 text-sm text-ink-2">It holds nothing else.</p>{/if}
      {@const { total, page } = listed.data}
      {#if total > page}
        <p class="flex gap-3 px-5 pt-1 text-sm">
          {start + 1} to {Math.min(start + page, total)} of {total}
          {#if start}<button class="link" onclick={() => (start -= page)}>before</button>{/if}
          {#if start + page < total}
            <button class="link" onclick={() => (start += page)}>more</button>
          {/if}
        </p>
      {/if}
    {/if}
  </nav>
  <section class="min-h-0 overflow-auto bg-sheet px-5 py-3" aria-label="The object">
    {#if shown.error}
      <Trouble error={shown.error} />
    {:else if shown.data}
      <h2 class="text-lg font-semibold">{plainName(path.at(-1) ?? '') || 'All of it'}</h2>
      <p class="font-mono text-sm break-all text-ink-2">{shown.data.written}</p>
      {#if !shown.data.mentioned}
        <p class="mt-2 text-ink-2">
          The file does not tell of this place itself, only of what is beneath it.
        </p>
      {:else}
        <p class="text-ink-2">{shown.data.kind_label}</p>
        {#if shown.data.unreadable}
          <p class="mt-2 border-l-3 border-unreadable pl-2.5">
            It could not be read when the file was made: {shown.data.unreadable}.
          </p>
        {/if}
        <table class="mt-2 w-full text-left">
          <tbody>
            {#each shown.data.attributes as attribute (attribute.name)}
              <tr class="border-t border-line align-top">
                <th class="w-1/4 py-1 pr-3 font-normal text-ink-2">{attribute.name}</th>
                <td class="py-1 font-mono text-sm">
                  {#each attribute.values as value, at (at)}
                    <div class="break-words whitespace-pre-wrap">{value}</div>
                  {/each}
                  {#if attribute.more}<div class="text-ink-2">and {attribute.more} more</div>{/if}
                </td>
              </tr>
            {/each}
          </tbody>
        </table>
        {#if !shown.data.attributes.length}
          <p class="mt-2 text-ink-2">It holds no values.</p>
        {/if}
      {/if}
    {/if}
  </section>
</div>
