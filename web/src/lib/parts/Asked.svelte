<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { work } from '$lib/api/queries';
  import type { AskedFor } from '$lib/model/asked';
  import { count } from '$lib/model/differences';
  import { plainName } from '$lib/model/paths';

  interface Props {
    asked: AskedFor;
    onagain: () => void;
    onshow: (record: number) => void;
    ondone: () => void;
  }
  let { asked, onagain, onshow, ondone }: Props = $props();

  const found = createQuery(() => work(asked.number));
  const state = $derived(found.data?.state);
  const what = $derived(asked.kind);
  const done = $derived(
    what === 'look'
      ? 'Live has been looked at.'
      : asked.at.length
        ? `The branch ${plainName(asked.at.at(-1)!)} is kept.`
        : 'The system is kept.',
  );
</script>

<span role="status" aria-live="polite" class="text-sm">
  {#if found.error}
    <span class="text-stop">What became of it is not known: {found.error.message}</span>
  {:else if !found.data || state === 'waiting'}
    asked for; a worker has not begun yet
  {:else if state === 'running'}
    <span class="text-pick">
      {what === 'look' ? 'looking' : 'backing up'}{found.data.objects_seen
        ? `, ${count(found.data.objects_seen, 'object')}`
        : '…'}
    </span>
  {:else if state === 'failed'}
    <span class="border-l-3 border-stop pl-2">
      <b class="font-semibold">The {what} failed.</b>
      {found.data.message}
      <button class="link" onclick={onagain}>try again</button>
    </span>
  {:else}
    {done}
    {#if found.data.result}
      <button class="link" onclick={() => onshow(found.data!.result!)}>show it</button>
    {/if}
    <button class="link ml-2" onclick={ondone}>all right</button>
  {/if}
</span>
