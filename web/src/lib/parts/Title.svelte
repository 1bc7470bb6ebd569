<script lang="ts">
  /** What the page is called, in the window and in its history. */
  let { text }: { text: string } = $props();
</script>

<svelte:head><title>{text} · Keep Sort</title></svelte:head>
