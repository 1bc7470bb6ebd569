<script lang="ts">
  import type { Item } from '$lib/api/client';
  import { takeUp } from '$lib/api/practice';
  import { ago, until } from '$lib/model/time';

  /** One thing that somebody has put aside: who, why, and until when. */
  let { item }: { item: Item } = $props();
  let error = $state('');

  async function back(): Promise<void> {
    try {
      await takeUp(item.aside!.number);
    } catch (problem) {
      error = (problem as Error).message;
    }
  }
</script>

{#if item.aside}
  <div class="my-2 border-l-3 border-dotted border-line-strong pl-2.5 text-sm text-ink-2">
    <a href={item.place} class="block hover:underline">{item.title}</a>
    {ago(item.aside.at)} by {item.aside.by || 'somebody'}{item.aside.why
      ? `: “${item.aside.why}”`
      : ''},
    {item.aside.accepted ? 'it is right so, ' : ''}{item.aside.until
      ? `back ${until(item.aside.until)}`
      : 'back when it changes'}
    <button class="link" onclick={back}>take it up</button>
    {#if error}<span class="text-stop">{error}</span>{/if}
  </div>
{/if}
