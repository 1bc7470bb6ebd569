<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { copyPlaces } from '$lib/api/places';
  import Trouble from '$lib/parts/Trouble.svelte';
  import CopyPlace from './CopyPlace.svelte';
  import PlaceForm from './PlaceForm.svelte';

  /** Where the backups of a system are copied to, off this machine. */
  let { system, name }: { system: number; name: string } = $props();

  const places = createQuery(() => copyPlaces(system));
  let adding = $state(false);
</script>

<section class="mt-6 mb-6 max-w-3xl border-t border-line-strong pt-3" aria-label="Copies">
  <h2 class="text-lg font-semibold">Copies off this machine</h2>
  <p class="max-w-prose text-ink-2">
    Each good backup of {name} is also written as an archive to these places, and never over a file that
    is there. From there an empty installation comes back.
  </p>
  {#if places.error}<Trouble error={places.error} />{/if}
  {#each places.data ?? [] as place (place.id)}
    <CopyPlace {place} />
  {:else}
    {#if places.data}<p class="mt-2">
        None yet: if this machine is lost, its backups are lost with it.
      </p>{/if}
  {/each}
  {#if adding}
    <PlaceForm {system} onclose={() => (adding = false)} />
  {:else}
    <button class="act mt-3" onclick={() => (adding = true)}>Add a place</button>
  {/if}
</section>
