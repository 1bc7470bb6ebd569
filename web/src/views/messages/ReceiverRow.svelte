<script lang="ts">
  import type { Receiver, System } from '$lib/api/client';
  import { pauseReceiver, removeReceiver, sendDigest, testReceiver } from '$lib/api/messages';
  import { count } from '$lib/model/differences';
  import { createDoing } from '$lib/model/doing.svelte';
  import { LEVELS } from '$lib/model/levels';
  import { ago, until } from '$lib/model/time';
  import Trouble from '$lib/parts/Trouble.svelte';

  /** One who is told: of what, when, and whether the last message got there. */
  let { receiver, systems }: { receiver: Receiver; systems: System[] } = $props();

  const doing = createDoing();
  let told = $state('');
  const about = $derived(
    receiver.systems?.length
      ? systems
          .filter((s) => receiver.systems!.includes(s.id))
          .map((s) => s.name)
          .join(', ')
      : 'all systems',
  );
  const clock = $derived(
    receiver.digest_at == null
      ? ''
      : `${String(Math.floor(receiver.digest_at / 60)).padStart(2, '0')}:${String(receiver.digest_at % 60).padStart(2, '0')}`,
  );

  const act = (what: string, does: () => Promise<void>, said = ''): void => {
    told = '';
    doing.run(what, async () => {
      await does();
      told = said;
    });
  };
</script>

<article
  class="mt-3 border-l-3 pl-3 {receiver.failed || receiver.lost
    ? 'border-stop'
    : 'border-line-strong'}"
  aria-label={receiver.address}
>
  <p class={receiver.paused ? 'text-ink-3' : ''}>
    <b class="font-semibold"
      >{receiver.person_name || (receiver.way === 'mail' ? 'Mail' : 'A program')}</b
    >
    <span class="font-mono text-sm break-all">{receiver.address}</span>
    {receiver.paused ? '· paused' : ''}
  </p>
  <p class="text-ink-2">
    {clock ? `once a day at ${clock} (${receiver.zone})` : 'at once, each thing as it comes'}, about
    {about}: {LEVELS[receiver.least ?? 'confirm']}
  </p>
  <p class="text-sm text-ink-2">
    {#if receiver.sent_at}{count(receiver.sent, 'message')} sent, the last {ago(
        receiver.sent_at,
      )}{:else}nothing was sent yet{/if}{receiver.waiting ? `; ${receiver.waiting} on the way` : ''}
  </p>
  {#if receiver.failed && receiver.failed_at}
    <p class="font-semibold text-stop">
      {receiver.failed}
      <span class="font-normal text-ink-2"
        >Made {ago(receiver.failed_at)}, {receiver.tried_again_at
          ? `tried again ${until(receiver.tried_again_at)}`
          : 'given up'}.</span
      >
    </p>
  {/if}
  {#if receiver.lost}
    <p class="font-semibold text-stop">
      What calls are signed with was lost with the key. Remove it, and add it anew.
    </p>
  {/if}
  <p class="flex gap-3 text-sm">
    <button
      class="link"
      disabled={!!doing.busy}
      onclick={() => act('test', () => testReceiver(receiver.id), 'The test got there.')}
      >{doing.busy === 'test' ? 'sending…' : 'send a test'}</button
    >
    <button
      class="link"
      disabled={!!doing.busy}
      onclick={() =>
        act('digest', () => sendDigest(receiver.id), 'All that wants attention is on its way.')}
      >send all there is now</button
    >
    <button
      class="link"
      onclick={() => act('pause', () => pauseReceiver(receiver.id, !receiver.paused))}
      >{receiver.paused ? 'go on' : 'pause'}</button
    >
    <button class="link" onclick={() => act('remove', () => removeReceiver(receiver.id))}
      >tell it nothing any more</button
    >
  </p>
  {#if told}<p class="font-semibold text-pick" role="status">{told}</p>{/if}
  {#if doing.error}<Trouble error={doing.error} />{/if}
</article>
