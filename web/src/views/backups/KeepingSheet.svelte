<script lang="ts">
  import type { Keeping, System } from '$lib/api/client';
  import { createQuery } from '@tanstack/svelte-query';
  import { kinds, saveKeeping, type AskKeeping } from '$lib/api/practice';
  import { createDoing } from '$lib/model/doing.svelte';
  import { whenOpened } from '$lib/model/opening.svelte';
  import { bytes } from '$lib/model/time';
  import Sheet from '$lib/parts/Sheet.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';

  /** What backups of a system take, when it is reminded of, and how often they are read again. */
  interface Props {
    open: boolean;
    system: System;
    keeping: Keeping;
  }
  let { open = $bindable(), system, keeping }: Props = $props();

  const known = createQuery(() => ({ ...kinds(system.id), enabled: open }));
  let out = $state<string[]>([]);
  let places = $state('');
  let placesOut = $state('');
  let remind = $state(2);
  let verify = $state(7);
  const doing = createDoing();
  whenOpened(
    () => open,
    () => {
      out = [...(keeping.choice.kinds_out ?? [])];
      places = (keeping.choice.places ?? []).join('\n');
      placesOut = (keeping.choice.places_out ?? []).join('\n');
      remind = keeping.remind_days;
      verify = keeping.verify_days;
    },
  );
  const lines = (text: string): string[] =>
    text
      .split('\n')
      .map((line) => line.trim())
      .filter(Boolean);
  const body = $derived<AskKeeping>({
    choice: { kinds_out: out, places: lines(places), places_out: lines(placesOut) },
    remind_days: remind,
    verify_days: verify,
  });

  function toggle(kind: string): void {
    out = out.includes(kind) ? out.filter((one) => one !== kind) : [...out, kind];
  }

  function save(event: SubmitEvent): void {
    event.preventDefault();
    doing.run('save', async () => {
      await saveKeeping(system.id, body);
      open = false;
    });
  }
</script>

<Sheet
  bind:open
  title="What backups of {system.name} take"
  description="What is left out is told wherever such a backup is compared or restored from: not kept, never missing."
  width={720}
>
  <form onsubmit={save} class="grid grid-cols-[minmax(0,1fr)_280px] gap-x-6">
    <div>
      <h3 class="text-sm text-ink-2">Kinds, and what each took the last time</h3>
      <ul class="max-h-72 overflow-auto">
        {#each known.data ?? [] as kind (kind.name)}
          <li>
            <label
              class="grid grid-cols-[24px_minmax(0,1fr)_80px_80px] items-center border-b border-line py-0.5"
            >
              <input
                type="checkbox"
                class="justify-self-start accent-pick"
                checked={!out.includes(kind.name)}
                onchange={() => toggle(kind.name)}
              />
              <span class={out.includes(kind.name) ? 'text-ink-3 line-through' : ''}
                >{kind.label}</span
              >
              <span class="text-right font-mono text-sm">{kind.objects.toLocaleString('en')}</span>
              <span class="text-right font-mono text-sm text-ink-2">{bytes(kind.bytes)}</span>
            </label>
          </li>
        {:else}
          <li class="text-ink-2">
            {known.data
              ? 'It was not looked at as a whole yet, so its kinds are not known.'
              : 'Counting…'}
          </li>
        {/each}
      </ul>
    </div>
    <div class="grid content-start gap-y-2">
      <label class="block">
        <span class="text-sm text-ink-2">Only these places, one a line; all where empty</span>
        <textarea class="field h-16 w-full font-mono text-xs" bind:value={places}></textarea>
      </label>
      <label class="block">
        <span class="text-sm text-ink-2">Without these places, as /folder/temp*</span>
        <textarea class="field h-16 w-full font-mono text-xs" bind:value={placesOut}></textarea>
      </label>
      <label class="grid grid-cols-[minmax(0,1fr)_70px] items-center text-sm">
        remind after so many days without a backup
        <input class="field" type="number" min="1" max="3650" bind:value={remind} />
      </label>
      <label class="grid grid-cols-[minmax(0,1fr)_70px] items-center text-sm">
        read all again every so many days; 0 for never
        <input class="field" type="number" min="0" max="3650" bind:value={verify} />
      </label>
    </div>
    <div class="col-span-2 mt-3 flex justify-end gap-2.5">
      {#if doing.error}<Trouble error={doing.error} />{/if}
      <button type="button" class="act" onclick={() => (open = false)}>Back</button>
      <button class="act main" disabled={!!doing.busy}>Save, for backups from now on</button>
    </div>
  </form>
</Sheet>
