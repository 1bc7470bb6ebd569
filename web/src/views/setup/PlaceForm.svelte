<script lang="ts">
  import { addPlace } from '$lib/api/places';
  import { createDoing } from '$lib/model/doing.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import FormRow from './FormRow.svelte';

  /** Adds a place for copies; it is asked before anything is kept. */
  let { system, onclose }: { system: number; onclose: () => void } = $props();

  let address = $state('');
  let user = $state('');
  let password = $state('');
  let endpoint = $state('');
  let keyFile = $state('');
  let passphrase = $state('');
  let keep = $state(0);
  const doing = createDoing();
  const bucket = $derived(address.startsWith('s3:'));
  const host = $derived(address.startsWith('sftp:'));

  function add(event: SubmitEvent): void {
    event.preventDefault();
    const options = {
      ...(bucket && endpoint ? { endpoint } : {}),
      ...(host && keyFile ? { key_file: keyFile } : {}),
    };
    const pattern = '{system}-{date}-{time}-{number}.zip';
    const asked = { address, options, user, password, passphrase, keep, pattern };
    doing.run('add', async () => {
      await addPlace(system, asked);
      onclose();
    });
  }
</script>

<form class="mt-3 border border-line px-3 py-2" onsubmit={add}>
  <FormRow
    id="place-address"
    label="Address"
    required
    help="file:///folder, sftp://user@host:port/folder, or s3://bucket/prefix"
  >
    <input id="place-address" class="field w-full font-mono" bind:value={address} required />
  </FormRow>
  {#if bucket}
    <FormRow id="place-endpoint" label="Endpoint" help="https://…, where the store answers">
      <input id="place-endpoint" class="field w-full font-mono" bind:value={endpoint} />
    </FormRow>
  {/if}
  {#if host}
    <FormRow id="place-key" label="Key file" help="a private key on this machine">
      <input id="place-key" class="field w-full font-mono" bind:value={keyFile} />
    </FormRow>
  {/if}
  {#if bucket || host}
    <FormRow id="place-user" label={bucket ? 'Access key' : 'User'}>
      <input id="place-user" class="field w-full" autocomplete="off" bind:value={user} />
    </FormRow>
    <FormRow id="place-password" label={bucket ? 'Secret key' : 'Password'}>
      <input
        id="place-password"
        class="field w-full"
        type="password"
        autocomplete="new-password"
        bind:value={password}
      />
    </FormRow>
  {/if}
  <FormRow
    id="place-passphrase"
    label="Passphrase"
    help="Seals the secrets in the copies; they are left out where it is empty. Keep it elsewhere: without it they do not come back."
  >
    <input
      id="place-passphrase"
      class="field w-full"
      type="password"
      autocomplete="new-password"
      bind:value={passphrase}
    />
  </FormRow>
  <FormRow id="place-keep" label="Keep there" help="how many copies; 0 for all">
    <input id="place-keep" class="field w-24" type="number" min="0" bind:value={keep} />
  </FormRow>
  {#if doing.error}<Trouble error={doing.error} />{/if}
  <div class="mt-2 flex justify-end gap-2.5">
    <button type="button" class="act" onclick={onclose}>Back</button>
    <button class="act main" disabled={!!doing.busy || !address}
      >{doing.busy ? 'Asking it…' : 'Add the place'}</button
    >
  </div>
</form>
