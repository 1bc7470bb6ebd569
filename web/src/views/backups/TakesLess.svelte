<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { kinds } from '$lib/api/practice';
  import type { AskSchedule } from '$lib/api/client';
  import { bytes } from '$lib/model/time';

  /** Whether the backups of one schedule take what all of the system do, or other kinds. */
  interface Props {
    system: number;
    choice: AskSchedule['choice'];
  }
  let { system, choice = $bindable() }: Props = $props();

  const takes = createQuery(() => ({ ...kinds(system), enabled: !!choice }));
  const out = $derived(choice?.kinds_out ?? []);

  function own(on: boolean): void {
    choice = on ? { kinds_out: [], places: [], places_out: [] } : null;
  }

  function toggle(kind: string): void {
    const next = out.includes(kind) ? out.filter((one) => one !== kind) : [...out, kind];
    choice = { places: [], places_out: [], ...choice, kinds_out: next };
  }
</script>

<div class="ml-[60px]">
  <label class="flex items-center gap-2">
    <input
      type="checkbox"
      class="accent-pick"
      checked={choice !== null && choice !== undefined}
      onchange={(event) => own(event.currentTarget.checked)}
    /> it takes other kinds than all backups do
  </label>
  {#if choice}
    <ul class="mt-1 max-h-36 overflow-auto text-sm">
      {#each takes.data ?? [] as kind (kind.name)}
        <li>
          <label class="grid grid-cols-[22px_minmax(0,1fr)_60px_70px] items-center">
            <input
              type="checkbox"
              class="justify-self-start accent-pick"
              checked={!out.includes(kind.name)}
              onchange={() => toggle(kind.name)}
            />
            {kind.label}
            <span class="text-right font-mono">{kind.objects.toLocaleString('en')}</span>
            <span class="text-right font-mono text-ink-2">{bytes(kind.bytes)}</span>
          </label>
        </li>
      {/each}
    </ul>
  {/if}
</div>
