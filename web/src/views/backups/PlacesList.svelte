<script lang="ts">
  /** Objects of a backup with what is wrong with each. */
  interface Props {
    title: string;
    places: { path: string; text: string }[];
    total: number;
    grave?: boolean;
  }
  let { title, places, total, grave = false }: Props = $props();
</script>

{#if total}
  <h3 class="mt-1 font-semibold {grave ? 'text-stop' : 'text-confirm'}">{title}</h3>
  <ul class="max-h-48 overflow-auto">
    {#each places as one, n (n)}
      <li class="border-b border-line py-0.5">
        <span class="font-mono text-xs break-all">{one.path}</span>
        <span class="text-ink-2">{one.text}</span>
      </li>
    {/each}
    {#if total > places.length}<li class="text-ink-2">and {total - places.length} more</li>{/if}
  </ul>
{/if}
