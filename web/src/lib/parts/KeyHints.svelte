<script lang="ts">
  /** The line at the foot of a view: its keys, and one thing to know. */
  let { keys, note = '' }: { keys: [string, string][]; note?: string } = $props();
</script>

<footer
  class="flex min-h-[26px] flex-wrap items-center gap-x-4.5 border-t border-line px-4.5 text-xs text-ink-2"
>
  {#each keys as [key, does] (key)}
    <span class="whitespace-nowrap"><kbd>{key}</kbd> {does}</span>
  {/each}
  <span class="ml-auto min-w-0">{note}</span>
</footer>
