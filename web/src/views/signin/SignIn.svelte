<script lang="ts">
  import { client, got } from '$lib/api/client';
  import { queryClient } from '$lib/api/cache';
  import { session } from '$lib/api/queries';
  import Trouble from '$lib/parts/Trouble.svelte';

  let username = $state('');
  let password = $state('');
  let error = $state<Error>();
  let waiting = $state(false);

  async function signIn(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    waiting = true;
    error = undefined;
    try {
      const person = await got(client.POST('/api/v1/session', { body: { username, password } }));
      queryClient.setQueryData(session().queryKey, person);
    } catch (problem) {
      error = problem as Error;
    } finally {
      waiting = false;
    }
  }
</script>

<main class="grid h-full place-items-center">
  <form onsubmit={signIn} class="grid w-80 gap-3">
    <h1 class="text-xl font-bold tracking-tight">Keep<span class="text-pick">/</span>Sort</h1>
    <p class="text-ink-2">Look into backups, and put back only what should go back.</p>
    <label class="grid gap-1">
      <span class="text-ink-2">Name</span>
      <!-- svelte-ignore a11y_autofocus -->
      <input
        class="field"
        bind:value={username}
        name="username"
        autocomplete="username"
        autofocus
      />
    </label>
    <label class="grid gap-1">
      <span class="text-ink-2">Password</span>
      <input
        class="field"
        type="password"
        bind:value={password}
        name="password"
        autocomplete="current-password"
      />
    </label>
    {#if error}<Trouble {error} />{/if}
    <button class="act main justify-self-start" disabled={waiting || !username}>Sign in</button>
  </form>
</main>

<style>
  .field {
    border: 1px solid var(--line-strong);
    border-radius: 4px;
    background: var(--sheet);
    padding: 6px 8px;
  }
</style>
