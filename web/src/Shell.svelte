<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { Router } from 'sv-router';
  import { listen } from '$lib/api/events';
  import { session } from '$lib/api/queries';
  import Trouble from '$lib/parts/Trouble.svelte';
  import TopBar from '$lib/parts/TopBar.svelte';
  import SignIn from './views/signin/SignIn.svelte';
  import './routes';

  const person = createQuery(session);
  const signedIn = $derived(person.data?.signed_in ?? false);

  $effect(() => {
    if (signedIn) return listen();
  });
</script>

{#if person.error}
  <div class="p-6"><Trouble error={person.error} /></div>
{:else if person.data && !signedIn}
  <SignIn />
{:else if person.data}
  <div class="grid h-full grid-rows-[44px_minmax(0,1fr)]">
    <TopBar person={person.data} />
    <Router />
  </div>
{/if}
