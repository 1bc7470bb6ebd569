<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import type { PlaceForCopies } from '$lib/api/client';
  import { copyNow, removePlace, storedIn, takeIn } from '$lib/api/places';
  import { count } from '$lib/model/differences';
  import { createDoing } from '$lib/model/doing.svelte';
  import { bytes } from '$lib/model/time';
  import Ago from '$lib/parts/Ago.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';

  /** One place for copies: how it stands there, and what can be taken back from it. */
  let { place }: { place: PlaceForCopies } = $props();

  const doing = createDoing();
  let open = $state(false);
  let passphrase = $state('');
  let told = $state('');
  const stored = createQuery(() => ({ ...storedIn(place.id), enabled: open }));

  const act = (what: string, does: () => Promise<void>): void => {
    told = '';
    doing.run(what, does);
  };

  const take = (name: string) =>
    act(name, async () => {
      const { backup } = await takeIn(place.id, name, passphrase);
      told = backup
        ? `${name} is backup ${backup} now.`
        : `${name} is of a system that is not here; it is opened in Files.`;
    });
</script>

<article class="mt-3 border-l-3 pl-3 {place.failed || place.lost ? 'border-stop' : 'border-line'}">
  <p class="font-mono text-sm break-all">{place.address}</p>
  <p class="text-ink-2">
    {count(place.copies, 'copy', 'copies')} there{#if place.newest_at}, the newest made <Ago
        at={place.newest_at}
      />{/if}; {place.waiting ? `${place.waiting} waiting` : 'none waiting'};
    {place.keep ? `the last ${place.keep} are kept` : 'all are kept'};
    {place.sealed ? 'secrets sealed' : 'secrets left out'}
  </p>
  {#if place.failed}<p class="font-semibold text-stop">{place.failed}</p>{/if}
  {#if place.lost}
    <p class="font-semibold text-stop">
      What it is reached with was lost with the key. Remove it, and add it anew.
    </p>
  {/if}
  <p class="flex gap-3 text-sm">
    <button class="link" disabled={!!doing.busy} onclick={() => act('now', () => copyNow(place.id))}
      >{doing.busy === 'now' ? 'copying…' : 'copy now'}</button
    >
    <button class="link" aria-expanded={open} onclick={() => (open = !open)}>what lies there</button
    >
    <button
      class="link"
      title="Copies that lie there stay"
      onclick={() => act('remove', () => removePlace(place.id))}>copy there no more</button
    >
  </p>
  {#if doing.error}<Trouble error={doing.error} />{/if}
  {#if told}<p class="font-semibold text-pick" role="status">{told}</p>{/if}
  {#if open}
    {#if stored.error}<Trouble error={stored.error} />{/if}
    {#if stored.data}
      <label class="mt-1 flex items-center gap-2 text-sm">
        passphrase of its secrets
        <input class="field w-52" type="password" autocomplete="off" bind:value={passphrase} />
      </label>
      <ul class="mt-1 max-h-60 overflow-auto">
        {#each stored.data as one (one.name)}
          <li class="flex items-baseline gap-3 border-b border-line py-0.5 text-sm">
            <span class="font-mono break-all">{one.name}</span>
            <span class="ml-auto whitespace-nowrap text-ink-2">{bytes(one.bytes)}</span>
            <button class="link" disabled={!!doing.busy} onclick={() => take(one.name)}
              >{doing.busy === one.name ? 'taking in…' : 'take in'}</button
            >
          </li>
        {:else}
          <li class="text-ink-2">No archive lies there.</li>
        {/each}
      </ul>
    {/if}
  {/if}
</article>
