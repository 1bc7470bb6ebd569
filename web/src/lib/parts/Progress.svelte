<script lang="ts">
  import type { Work } from '$lib/api/client';
  import { cancelWork } from '$lib/api/practice';
  import { count } from '$lib/model/differences';
  import { createDoing } from '$lib/model/doing.svelte';
  import { span } from '$lib/model/time';

  /** How far work is: how much it has seen, how fast, and for how long yet; and its end by hand. */
  let { work }: { work: Work } = $props();

  const DOES = { backup: 'backing up', look: 'looking', verify: 'reading the backups again' };
  const UNIT = { backup: 'object', look: 'object', verify: 'chunk' };
  // a rate told of the first moments would be no more than a guess
  const SETTLED = 1.5;
  const seconds = $derived(
    work.started_at ? (Date.now() - new Date(work.started_at).getTime()) / 1000 : 0,
  );
  const rate = $derived(seconds > SETTLED ? work.objects_seen / seconds : 0);
  const left = $derived(
    rate && work.expected > work.objects_seen ? (work.expected - work.objects_seen) / rate : 0,
  );
  const told = $derived(
    [
      work.objects_seen &&
        (work.expected > work.objects_seen
          ? `${work.objects_seen.toLocaleString('en')} of some ${count(work.expected, UNIT[work.kind])}`
          : count(work.objects_seen, UNIT[work.kind])),
      rate && `${Math.round(rate).toLocaleString('en')} a second`,
      left && `${span(left)} left`,
    ]
      .filter(Boolean)
      .join(', '),
  );
  const doing = createDoing();
</script>

{#if work.state === 'waiting'}
  asked for; a worker has not begun yet
{:else}
  <span class="text-pick">{DOES[work.kind]}{told ? `: ${told}` : '…'}</span>
{/if}
{#if work.waits}<span class="block text-ink-2">{work.waits}</span>{/if}
{#if work.cancel_asked}
  <span class="text-ink-2">cancelling…</span>
{:else}
  <button
    class="link"
    disabled={!!doing.busy}
    onclick={() => doing.run('cancel', () => cancelWork(work.id))}>cancel</button
  >
{/if}
{#if doing.error}<span class="text-stop">{doing.error.message}</span>{/if}
