<script lang="ts">
  import Sheet from '$lib/parts/Sheet.svelte';
  import { createQuery } from '@tanstack/svelte-query';
  import { untrack } from 'svelte';
  import type { Bench } from '$lib/api/client';
  import { askElsewhere, places, systems } from '$lib/api/queries';
  import { plainName } from '$lib/model/paths';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { route } from '../../routes';
  import { openPlan } from '../preview/open';

  /** Puts the branch on the bench, as the backup has it, into another place or system. */
  interface Props {
    open: boolean;
    bench: Bench;
    backup: number;
  }
  let { open = $bindable(), bench, backup }: Props = $props();

  const CLASHES = [
    ['rename', 'the copy gets another name'],
    ['skip', 'the copy is left out'],
    ['replace', 'the copy takes its place'],
  ] as const;
  const all = createQuery(systems);
  const own = Number(route.params.system);
  const here = $derived(all.data?.find((s) => s.id === own));
  const fitting = $derived(all.data?.filter((s) => s.connector === here?.connector) ?? []);
  let target = $state(own);
  const known = createQuery(() => places(target));
  let at = $state(JSON.stringify(untrack(() => bench.path.slice(0, -1))));
  let clash = $state<(typeof CLASHES)[number][0]>('rename');
  let error = $state<Error>();
  let waiting = $state(false);
  const name = $derived(bench.path.length ? plainName(bench.path.at(-1)!) : 'everything');

  async function preview(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    if (waiting) return;
    waiting = true;
    error = undefined;
    try {
      const plan = await askElsewhere({
        backup,
        paths: [bench.path],
        system: target,
        at: JSON.parse(at) as string[],
        clash,
      });
      open = false;
      await openPlan(plan);
    } catch (problem) {
      error = problem as Error;
    } finally {
      waiting = false;
    }
  }
</script>

<Sheet
  bind:open
  title="Put {name} elsewhere"
  description="A copy as the backup has it, with what it needs; references follow. Preview shows all of it before anything is written."
  width={520}
>
  <form class="mt-3 grid grid-cols-[110px_minmax(0,1fr)] items-center gap-2" onsubmit={preview}>
    <label for="elsewhere-system">System</label>
    <select id="elsewhere-system" class="field" bind:value={target}>
      {#each fitting as one (one.id)}<option value={one.id}>{one.name}</option>{/each}
    </select>
    <label for="elsewhere-at">Held by</label>
    <select id="elsewhere-at" class="field font-mono text-sm" bind:value={at}>
      {#each known.data ?? [] as place (place.written)}
        <option value={JSON.stringify(place.path)}>{place.written}</option>
      {/each}
    </select>
    <label for="elsewhere-clash">Name taken</label>
    <select id="elsewhere-clash" class="field" bind:value={clash}>
      {#each CLASHES as [value, label] (value)}<option {value}>{label}</option>{/each}
    </select>
    {#if error}<div class="col-span-2"><Trouble {error} /></div>{/if}
    <div class="col-span-2 mt-2 flex justify-end gap-2.5">
      <button type="button" class="act" onclick={() => (open = false)}>Back</button>
      <button class="act main" disabled={waiting || !known.data?.length}>
        {waiting ? 'Looking at the target…' : 'Preview'}
      </button>
    </div>
  </form>
</Sheet>
