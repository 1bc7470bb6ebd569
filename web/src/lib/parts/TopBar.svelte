<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { client, got, type Person } from '$lib/api/client';
  import { queryClient } from '$lib/api/cache';
  import { systems } from '$lib/api/queries';
  import { theme } from '$lib/model/theme.svelte';
  import { route } from '../../routes';

  interface Props {
    person: Person;
    onsearch: () => void;
    onhelp: () => void;
  }
  let { person, onsearch, onhelp }: Props = $props();

  const all = createQuery(systems);
  const here = $derived(route.pathname);
  const system = $derived(
    Number(/^\/(?:sort|backups)\/(\d+)/.exec(here)?.[1] ?? all.data?.[0]?.id ?? 0),
  );
  const places = $derived([
    { name: 'Watch', href: '/', on: here === '/' },
    { name: 'Sort', href: `/sort/${system}`, on: /^\/(sort|plans)\//.test(here) },
    { name: 'Backups', href: `/backups/${system}`, on: here.startsWith('/backups') },
    { name: 'Files', href: '/files', on: here.startsWith('/files') },
    { name: 'Runs', href: '/runs', on: here.startsWith('/runs') },
    ...(person.role === 'administrator'
      ? [{ name: 'Setup', href: '/setup', on: /^\/(setup|messages)/.test(here) }]
      : []),
  ]);

  async function signOut(): Promise<void> {
    await got(client.DELETE('/api/v1/session'));
    queryClient.clear();
    location.assign('/');
  }
</script>

<header class="flex min-h-11 flex-wrap items-center gap-x-6 border-b border-line px-4.5">
  <a href="/" class="text-lg font-bold tracking-tight">Keep<span class="text-pick">/</span>Sort</a>
  <nav class="flex h-11 gap-4" aria-label="Places">
    {#each places as place (place.name)}
      {#if system || !/sort|backups/.test(place.href)}
        <a
          href={place.href}
          aria-current={place.on ? 'page' : undefined}
          class="flex items-center border-b-2 px-0.5 {place.on
            ? 'border-ink font-semibold'
            : 'border-transparent text-ink-2 hover:text-ink'}">{place.name}</a
        >
      {/if}
    {/each}
  </nav>
  <button
    class="ml-auto flex w-64 min-w-24 shrink items-center max-[999px]:w-44 gap-2 rounded border border-line px-2.5 py-1 text-left text-ink-3 hover:border-line-strong"
    onclick={onsearch}
    title="/">Search all backups <kbd class="ml-auto">/</kbd></button
  >
  <div class="flex items-center gap-4 text-ink-2">
    <button class="link" title="? or F1" onclick={onhelp}>help</button>
    <button class="link" onclick={() => theme.toggle()}>
      {theme.current === 'dark' ? 'by day' : 'by night'}
    </button>
    <span title="{person.username}, {person.role}">{person.name}</span>
    <button class="link" onclick={signOut}>sign out</button>
  </div>
</header>
