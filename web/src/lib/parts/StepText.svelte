<script lang="ts">
  import { count } from '$lib/model/differences';

  /** A text that comes or goes as a whole: its first lines, and the others where asked for. */
  let { text }: { text: string } = $props();

  const FIRST = 10;
  const lines = $derived(text.replace(/\n$/, '').split('\n'));
  const more = $derived(lines.length - FIRST);
  let open = $state(false);
</script>

<span class="block break-words whitespace-pre-wrap"
  >{(open || more <= 1 ? lines : lines.slice(0, FIRST)).join('\n')}</span
>
{#if more > 1}
  <button
    class="link font-sans font-normal text-ink-2"
    aria-expanded={open}
    onclick={() => (open = !open)}>{open ? 'fold it' : count(more, 'more line')}</button
  >
{/if}
