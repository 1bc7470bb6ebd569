<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import type { Rules } from '$lib/api/client';
  import { hiddenBy, termsOf, type Looked } from '$lib/api/comparing';
  import { count } from '$lib/model/differences';
  import { oneByOne } from '$lib/model/ignoring';
  import { rested } from '$lib/model/rested.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';

  /** What each of some rules hides now, by itself, before they are saved. */
  let { looked, rules }: { looked: Looked; rules: Rules } = $props();

  const MOST = 20;
  const typed = rested(() => JSON.stringify(rules), 400);
  const each = $derived(oneByOne(JSON.parse(typed.current) as Rules));
  const tried = $derived(each.slice(0, MOST).map((one) => one.rules));
  const hides = createQuery(() => ({
    ...hiddenBy(termsOf(looked), tried),
    enabled: tried.length > 0,
  }));
</script>

{#if each.length}
  <section aria-label="What each hides now" class="border-t border-line pt-2 text-sm text-ink-2">
    {#if hides.error}<Trouble error={hides.error} />{/if}
    <ul class="columns-2 gap-x-6">
      {#each each.slice(0, MOST) as { words }, n (words)}
        <li class="flex gap-2">
          <span class="min-w-0 truncate font-mono" title={words}>{words}</span>
          <span class="ml-auto shrink-0"
            >{hides.data
              ? `hides something of ${count(hides.data.hides[n] ?? 0, 'object')}`
              : 'counting…'}</span
          >
        </li>
      {/each}
    </ul>
    {#if each.length > MOST}<p>Of the other {each.length - MOST} it is not counted.</p>{/if}
  </section>
{/if}
