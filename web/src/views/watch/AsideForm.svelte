<script lang="ts">
  import type { Item } from '$lib/api/client';
  import { putAside } from '$lib/api/practice';

  /** Puts something aside: for a time, until it changes, or since it is right as it stands. */
  interface Props {
    item: Item;
    /** Whether it can be said to be right: something that differs can. */
    acceptable: boolean;
    onclose: () => void;
  }
  let { item, acceptable, onclose }: Props = $props();

  const TIMES: [string, number | null][] = [
    ['a day', 24],
    ['a week', 168],
    ['until it changes', null],
  ];
  let why = $state('');
  let error = $state('');

  async function put(hours: number | null, accepted = false): Promise<void> {
    error = '';
    try {
      await putAside(item, why, hours, accepted);
    } catch (problem) {
      error = (problem as Error).message;
    }
  }
</script>

<form class="mt-1 grid gap-1 text-sm" onsubmit={(event) => event.preventDefault()}>
  <input
    class="field w-full"
    placeholder="why, for the others"
    aria-label="Why"
    maxlength="400"
    bind:value={why}
  />
  <span class="flex flex-wrap gap-x-2.5">
    {#each TIMES as [words, hours] (words)}
      <button type="button" class="link" onclick={() => put(hours)}>{words}</button>
    {/each}
    {#if acceptable}
      <button
        type="button"
        class="link"
        title="It wants attention again once it is something else. The next backup keeps it as it is."
        onclick={() => put(null, true)}>it is right so</button
      >
    {/if}
    <button type="button" class="link ml-auto" onclick={onclose}>back</button>
  </span>
  {#if error}<span class="text-stop" role="alert">{error}</span>{/if}
</form>
