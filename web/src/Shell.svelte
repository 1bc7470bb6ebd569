<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { Router } from 'sv-router';
  import { listen } from '$lib/api/events';
  import { session, systems } from '$lib/api/queries';
  import { contentOfView } from '$lib/model/focus';
  import { takesKeys } from '$lib/model/keys';
  import DropZone from '$lib/parts/DropZone.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import TopBar from '$lib/parts/TopBar.svelte';
  import { route } from './routes';
  import HelpSheet from './views/help/HelpSheet.svelte';
  import SearchDialog from './views/search/SearchDialog.svelte';
  import SystemSwitch from './views/switch/SystemSwitch.svelte';
  import SignIn from './views/signin/SignIn.svelte';

  const person = createQuery(session);
  const signedIn = $derived(person.data?.signed_in ?? false);
  const all = createQuery(() => ({ ...systems(), enabled: signedIn }));
  const here = $derived(
    all.data?.find((s) => route.pathname.match(/^\/(?:sort|backups)\/(\d+)/)?.[1] === `${s.id}`),
  );
  let searching = $state(false);
  let helping = $state(false);
  let switching = $state(false);

  /** What was typed before a dialog that takes letters has the keyboard: it is meant for it. */
  let ahead = $state('');

  function early(event: KeyboardEvent): void {
    const within = event.target instanceof Element && event.target.closest('[role=dialog]');
    if (!(searching || switching) || within || event.ctrlKey || event.metaKey) return;
    if (event.key.length === 1) ahead += event.key;
    if (event.key === 'Enter') ahead += '\n';
    event.preventDefault();
    event.stopImmediatePropagation();
  }

  function keyed(event: KeyboardEvent): void {
    if (!signedIn || event.ctrlKey || event.metaKey || event.altKey) return;
    if (event.key === 'F1') helping = true;
    else if (takesKeys(event.target)) return;
    else if (event.key === '?') helping = true;
    else if (event.key === '/') searching = true;
    else if (event.key.toLowerCase() === 'g') switching = true;
    else return;
    event.preventDefault();
  }

  $effect(() => {
    if (signedIn) return listen();
  });
</script>

<svelte:window onkeydowncapture={early} onkeydown={keyed} />
{#if person.error}
  <div class="p-6"><Trouble error={person.error} /></div>
{:else if person.data && !signedIn}
  <SignIn />
{:else if person.data}
  <button
    class="act fixed top-1 left-1 z-30 not-focus:sr-only"
    onclick={() => contentOfView()?.focus()}>Skip to what is shown</button
  >
  <div class="grid h-full grid-rows-[auto_minmax(0,1fr)]">
    <TopBar
      person={person.data}
      onsearch={() => (searching = true)}
      onhelp={() => (helping = true)}
    />
    <Router />
  </div>
  <DropZone />
  <SystemSwitch bind:open={switching} bind:ahead pathname={route.pathname} />
  <HelpSheet bind:open={helping} pathname={route.pathname} />
  <SearchDialog bind:open={searching} bind:ahead system={here} />
{/if}
