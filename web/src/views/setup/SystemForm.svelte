<script lang="ts">
  import { onMount, untrack } from 'svelte';
  import type { AskSettings, Connector, Probe, Settings } from '$lib/api/client';
  import { Failure } from '$lib/api/client';
  import { removeSystem, saveSettings, tryConnection } from '$lib/api/queries';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { navigate } from '../../routes';
  import FormRow from './FormRow.svelte';
  import OptionField from './OptionField.svelte';
  import Standing from './Standing.svelte';
  import TryResult from './TryResult.svelte';

  interface Props {
    kinds: Connector[];
    settings?: Settings;
  }
  let { kinds, settings }: Props = $props();

  const start = untrack(() => settings);
  let connector = $state(start?.connector ?? untrack(() => kinds[0]!.name));
  let name = $state(start?.name ?? '');
  let address = $state(start?.address ?? '');
  let user = $state(start?.user ?? '');
  let password = $state('');
  let options = $state<Record<string, string>>({});
  let probe = $state<Probe>();
  let error = $state<Error>();
  let busy = $state('');
  let removing = $state('');
  let stop: AbortController | undefined;
  const TRY_SECONDS = 40;
  const kind = $derived(kinds.find((k) => k.name === connector)!);

  $effect.pre(() => {
    const known = kind.options;
    untrack(() => {
      options = Object.fromEntries(
        known.map((o) => [
          o.name,
          start?.options?.[o.name] ?? options[o.name] ?? (o.choices.length ? o.default : ''),
        ]),
      );
    });
  });

  const body = (): AskSettings => ({
    name,
    connector,
    address,
    user,
    options,
    password: password || (settings ? null : ''),
    system: settings?.id ?? null,
  });

  async function doing(what: string, work: () => Promise<void>): Promise<void> {
    if (busy) return;
    busy = what;
    error = undefined;
    try {
      await work();
    } catch (problem) {
      error = problem as Error;
    } finally {
      busy = '';
    }
  }

  const attempt = (): Promise<void> =>
    doing('try', async () => {
      probe = undefined;
      stop = new AbortController();
      const limit = AbortSignal.timeout(TRY_SECONDS * 1000);
      const signal = AbortSignal.any([stop.signal, limit]);
      try {
        probe = await tryConnection(body(), signal);
      } catch (problem) {
        if (stop.signal.aborted) throw new Failure('The try was cancelled.', 'Nothing was kept.');
        if (limit.aborted)
          throw new Failure(
            `${address} has not answered within ${TRY_SECONDS} seconds.`,
            'Check the address and what lies between, then try again.',
          );
        throw problem;
      }
      for (const [key, value] of Object.entries(probe.learned)) options[key] = value;
    });

  // what a system answers, and what may be done there, is why somebody comes here
  onMount(() => {
    if (settings) void attempt();
    return () => stop?.abort();
  });

  function save(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    return doing('save', async () => {
      const saved = await saveSettings(body(), settings?.id);
      password = '';
      await navigate('/setup/:system', { params: { system: String(saved.id) } });
    });
  }

  const remove = (): Promise<void> =>
    doing('remove', async () => {
      await removeSystem(settings!.id);
      await navigate('/setup');
    });
</script>

<h2 class="mb-2 text-xl font-semibold tracking-tight">{settings?.name ?? 'A new system'}</h2>
<div
  class="grid gap-8 {settings
    ? 'grid-cols-[minmax(0,1fr)_minmax(0,520px)]'
    : 'grid-cols-[minmax(0,560px)_minmax(0,1fr)]'}"
>
  <form onsubmit={save} class={settings ? 'order-2' : ''}>
    {#if settings}<h3 class="mb-1.5 font-semibold">How it is reached</h3>{/if}
    <FormRow id="connector" label="Connector">
      <select id="connector" class="field w-full" bind:value={connector} disabled={!!settings}>
        {#each kinds as one (one.name)}<option value={one.name}>{one.label}</option>{/each}
      </select>
    </FormRow>
    <FormRow id="name" label="Name">
      <input id="name" class="field w-full" bind:value={name} maxlength="80" required />
    </FormRow>
    <FormRow id="address" label="Address" help={kind.address_help}>
      <input
        id="address"
        class="field w-full font-mono text-sm"
        bind:value={address}
        spellcheck="false"
        required
      />
    </FormRow>
    <FormRow id="user" label="Account">
      <input
        id="user"
        class="field w-full font-mono text-sm"
        bind:value={user}
        autocomplete="off"
        spellcheck="false"
      />
    </FormRow>
    <FormRow id="password" label="Password">
      <input
        id="password"
        type="password"
        class="field w-full font-mono text-sm"
        autocomplete="new-password"
        placeholder={settings?.has_password ? 'kept; type to replace it' : ''}
        bind:value={password}
      />
    </FormRow>
    {#each kind.options as option (option.name)}
      <OptionField
        {option}
        kept={settings?.has_secrets.includes(option.name)}
        bind:value={options[option.name]!}
      />
    {/each}
    <div class="sticky bottom-0 flex items-center gap-2.5 border-t border-line bg-sheet py-2.5">
      <button type="button" class="act" onclick={attempt} disabled={!!busy}>
        {busy === 'try' ? 'Trying…' : 'Try the connection'}
      </button>
      {#if busy === 'try'}
        <button type="button" class="link" onclick={() => stop?.abort()}>cancel</button>
        <span class="text-sm text-ink-2">for {TRY_SECONDS} seconds at most</span>
      {/if}
      <button class="act main" disabled={!!busy}>
        {settings ? 'Save the changes' : 'Add the system'}
      </button>
      {#if settings}
        <a class="link ml-auto" href="/sort/{settings.id}">sort it</a>
      {/if}
    </div>
  </form>
  <div>
    {#if settings}<Standing system={settings.id} />{/if}
    {#if error}<Trouble {error} />{/if}
    {#if probe}
      <TryResult {probe} />
    {:else if busy === 'try'}
      <p class="text-ink-2" role="status">Asking {name} what it answers, and what may be done…</p>
    {:else if !error}
      <p class="text-ink-2">
        Trying the connection tells what answers, what is there, what this account may do, and what
        the system can promise. It keeps nothing and writes nothing.
      </p>
    {/if}
    {#if settings}
      <details class="mt-6">
        <summary class="cursor-pointer text-ink-2">Remove {settings.name} from Keep Sort</summary>
        <p class="my-1.5">
          All its backups, their history and the reports of its runs are lost. The live system stays
          as it is.
        </p>
        <label class="block text-sm text-ink-2" for="removing"> Type its name to make sure </label>
        <input id="removing" class="field mr-2" bind:value={removing} autocomplete="off" />
        <button class="act" disabled={removing !== settings.name || !!busy} onclick={remove}>
          Remove {settings.name} and its backups
        </button>
      </details>
    {/if}
  </div>
</div>
