<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { receivers } from '$lib/api/messages';
  import { systems } from '$lib/api/queries';
  import KeyHints from '$lib/parts/KeyHints.svelte';
  import Title from '$lib/parts/Title.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import ReceiverForm from './ReceiverForm.svelte';
  import ReceiverRow from './ReceiverRow.svelte';

  /** Who is told what wants attention, and whether it got there. */
  const all = createQuery(receivers);
  const known = createQuery(systems);
  let adding = $state(false);
  let secret = $state('');
</script>

<Title text="Who is told" />
<div class="grid min-h-0 grid-rows-[minmax(0,1fr)_auto]">
  <main tabindex="-1" class="overflow-auto px-5 py-3">
    <div class="flex flex-wrap items-baseline gap-4">
      <h1 class="text-xl font-semibold tracking-tight">Who is told</h1>
      <a class="link" href="/setup">systems</a>
      {#if all.data}
        <span class="ml-auto text-sm text-ink-2">
          {#if all.data.mail_server}
            mail goes through <span class="font-mono">{all.data.mail_server}</span>, from
            <span class="font-mono">{all.data.mail_from}</span>
          {:else}
            no mail server: start with KEEPSORT_SMTP_URL to send mail
          {/if}
        </span>
      {/if}
    </div>
    <p class="mt-1 max-w-prose text-ink-2">
      What wants attention on Watch goes out by mail, or as a signed call to a program. A message
      says what it is about and where: titles and paths, never a value.
    </p>
    {#if all.error}<Trouble error={all.error} />{/if}
    {#if secret}
      <p class="mt-3 max-w-2xl border-l-3 border-pick pl-2.5" role="status">
        Calls to it are signed with this secret. Put it where the receiver checks them; it is not
        shown again. <span class="block font-mono break-all select-all">{secret}</span>
        <button class="link" onclick={() => (secret = '')}>I have it</button>
      </p>
    {/if}
    <div class="max-w-4xl">
      {#each all.data?.receivers ?? [] as receiver (receiver.id)}
        <ReceiverRow {receiver} systems={known.data ?? []} />
      {:else}
        {#if all.data}<p class="mt-3">
            Nobody yet: who does not look at Watch does not learn of anything.
          </p>{/if}
      {/each}
      {#if adding && all.data}
        <ReceiverForm
          people={all.data.people}
          systems={known.data ?? []}
          onclose={(made) => {
            adding = false;
            secret = made;
          }}
        />
      {:else}
        <button class="act main mt-3" onclick={() => (adding = true)}>Tell somebody</button>
      {/if}
    </div>
  </main>
  <KeyHints keys={[]} note="What does not get there is tried again, later and later, for a day." />
</div>
