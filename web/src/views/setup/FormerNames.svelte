<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import type { FormerName } from '$lib/api/client';
  import { queryClient } from '$lib/api/cache';
  import { formerNames, saveFormerNames } from '$lib/api/queries';
  import { createDoing } from '$lib/model/doing.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';

  /** What attributes were called formerly, as somebody said in a preview; they hold for all. */
  let { system, name }: { system: number; name: string } = $props();

  const names = createQuery(() => formerNames(system));
  const doing = createDoing();

  const forget = (one: FormerName): void =>
    doing.run(`forget ${one.kind}.${one.now}`, async () => {
      const others = (names.data?.names ?? []).filter((other) => other !== one);
      queryClient.setQueryData(formerNames(system).queryKey, await saveFormerNames(system, others));
    });
</script>

{#if names.data?.names.length}
  <section class="mt-6 max-w-3xl border-t border-line-strong pt-3" aria-label="Former names">
    <h2 class="text-lg font-semibold">Former names</h2>
    <p class="max-w-prose text-ink-2">
      Older backups of {name} are read by these names, so that what was renamed is compared and put back.
    </p>
    {#each names.data.names as one (`${one.kind}.${one.now}`)}
      <p class="flex items-baseline gap-2 border-b border-line py-1.5">
        <span class="font-mono text-sm">{one.kind}.{one.now}</span>
        <span class="text-ink-2">was</span>
        <span class="font-mono text-sm">{one.former}</span>
        <button class="link ml-auto" onclick={() => forget(one)}>forget it</button>
      </p>
    {/each}
    {#if doing.error}<Trouble error={doing.error} />{/if}
  </section>
{/if}
