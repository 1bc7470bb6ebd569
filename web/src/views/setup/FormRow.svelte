<script lang="ts">
  import type { Snippet } from 'svelte';

  /** One field of the form with its label and what helps to fill it in. */
  interface Props {
    id: string;
    label: string;
    help?: string;
    required?: boolean;
    children: Snippet;
  }
  let { id, label, help = '', required = false, children }: Props = $props();
</script>

<div class="grid grid-cols-[150px_minmax(0,1fr)] gap-x-3 py-1.5">
  <label for={id} class="pt-1">
    {label}{#if required}<span class="text-stop" title="needed"> *</span>{/if}
  </label>
  <div>
    {@render children()}
    {#if help}<p class="text-sm text-ink-2">{help}</p>{/if}
  </div>
</div>
