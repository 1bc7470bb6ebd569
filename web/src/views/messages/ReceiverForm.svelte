<script lang="ts">
  import type { AskReceiver, System } from '$lib/api/client';
  import { addReceiver } from '$lib/api/messages';
  import { createDoing } from '$lib/model/doing.svelte';
  import { LEVELS } from '$lib/model/levels';
  import Trouble from '$lib/parts/Trouble.svelte';

  /** Somebody new who is told: how, when, and about what. */
  interface Props {
    people: { id: number; name: string; email: string }[];
    systems: System[];
    onclose: (secret: string) => void;
  }
  let { people, systems, onclose }: Props = $props();

  let way = $state<'mail' | 'webhook'>('mail');
  let address = $state('');
  let person = $state<number | null>(null);
  let about = $state<number[]>([]);
  let least = $state<NonNullable<AskReceiver['least']>>('confirm');
  let daily = $state(false);
  let clock = $state('07:00');
  const doing = createDoing();

  function choose(id: number | null): void {
    person = id;
    const email = people.find((one) => one.id === id)?.email;
    if (email) address = email;
  }

  function add(event: SubmitEvent): void {
    event.preventDefault();
    const [hour = 0, minute = 0] = clock.split(':').map(Number);
    const asked: AskReceiver = {
      way,
      address,
      person,
      systems: about,
      least,
      digest_at: daily ? hour * 60 + minute : null,
      zone: Intl.DateTimeFormat().resolvedOptions().timeZone || 'UTC',
    };
    doing.run('add', async () => onclose(await addReceiver(asked)));
  }
</script>

<form class="mt-4 grid max-w-2xl gap-y-2 border border-line bg-sheet p-3" onsubmit={add}>
  <p class="flex flex-wrap items-center gap-2">
    Tell
    <select
      class="field"
      aria-label="Who"
      value={person ?? ''}
      onchange={(event) => choose(Number(event.currentTarget.value) || null)}
    >
      <option value="">a program, or somebody else</option>
      {#each people as one (one.id)}<option value={one.id}>{one.name}</option>{/each}
    </select>
    by
    <select class="field" aria-label="How" bind:value={way}>
      <option value="mail">mail to</option>
      <option value="webhook">a signed call to</option>
    </select>
    <input
      class="field min-w-56 flex-1 font-mono text-sm"
      aria-label="Address"
      placeholder={way === 'mail' ? 'odell@kelpmoor.example' : 'https://host/path'}
      required
      bind:value={address}
    />
  </p>
  <p class="flex flex-wrap items-center gap-2">
    <select
      class="field"
      aria-label="When"
      value={daily ? 'daily' : 'once'}
      onchange={(event) => (daily = event.currentTarget.value === 'daily')}
    >
      <option value="once">each thing as it comes</option>
      <option value="daily">all at once, every day</option>
    </select>
    {#if daily}at <input class="field" type="time" aria-label="Time" bind:value={clock} />{/if}
    <select class="field" aria-label="How urgent" bind:value={least}>
      {#each Object.entries(LEVELS) as [level, words] (level)}
        <option value={level}>{words}</option>
      {/each}
    </select>
  </p>
  <fieldset class="flex flex-wrap gap-x-4">
    <legend class="text-sm text-ink-2">about these systems; all where none is chosen</legend>
    {#each systems as system (system.id)}
      <label class="flex items-center gap-1.5">
        <input type="checkbox" class="accent-pick" value={system.id} bind:group={about} />
        {system.name}
      </label>
    {/each}
  </fieldset>
  {#if doing.error}<Trouble error={doing.error} />{/if}
  <div class="flex justify-end gap-2.5">
    <button type="button" class="act" onclick={() => onclose('')}>Back</button>
    <button class="act main" disabled={!!doing.busy || !address}>Tell it from now on</button>
  </div>
</form>
