<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { work } from '$lib/api/queries';
  import { count } from '$lib/model/differences';

  interface Props {
    /** The backup or look that was asked for. */
    number: number;
    /** What is said when it is there. */
    done: string;
    onagain: () => void;
    onshow: (record: number) => void;
    ondone: () => void;
  }
  let { number, done, onagain, onshow, ondone }: Props = $props();

  const asked = createQuery(() => work(number));
  const state = $derived(asked.data?.state);
  const what = $derived(asked.data?.kind === 'look' ? 'look' : 'backup');
</script>

<span role="status" aria-live="polite" class="text-sm">
  {#if asked.error}
    <span class="text-stop">What became of it is not known: {asked.error.message}</span>
  {:else if !asked.data || state === 'waiting'}
    asked for; a worker has not begun yet
  {:else if state === 'running'}
    <span class="text-pick">
      {what === 'look' ? 'looking' : 'backing up'}{asked.data.objects_seen
        ? `, ${count(asked.data.objects_seen, 'object')}`
        : '…'}
    </span>
  {:else if state === 'failed'}
    <span class="border-l-3 border-stop pl-2">
      <b class="font-semibold">The {what} failed.</b>
      {asked.data.message}
      <button class="link" onclick={onagain}>try again</button>
    </span>
  {:else}
    {done}
    {#if asked.data.result}
      <button class="link" onclick={() => onshow(asked.data!.result!)}>show it</button>
    {/if}
    <button class="link" onclick={ondone}>all right</button>
  {/if}
</span>
