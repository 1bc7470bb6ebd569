<script lang="ts">
  /** The shape that stands for a kind of difference; a word or a label always goes with it. */
  let { state, size = 14 }: { state: string; size?: number } = $props();
</script>

<svg width={size} height={size} viewBox="0 0 14 14" aria-hidden="true" class="shrink-0">
  {#if state === 'missing'}
    <circle
      cx="7"
      cy="7"
      r="5"
      class="dash"
      fill="none"
      stroke="var(--missing)"
      stroke-width="1.7"
    />
  {:else if state === 'extra'}
    <rect x="2.5" y="2.5" width="9" height="9" fill="var(--extra)" />
  {:else if state === 'changed' || state === 'follows'}
    <circle cx="7" cy="7" r="5" fill="none" stroke="var(--changed)" stroke-width="1.7" />
    <path d="M7 2a5 5 0 0 1 0 10z" fill="var(--changed)" />
  {:else if state === 'moved'}
    <circle cx="4.6" cy="7" r="3.2" fill="none" stroke="var(--moved)" stroke-width="1.5" />
    <circle cx="10" cy="7" r="3.2" fill="var(--moved)" />
  {:else if state === 'recreated'}
    <rect
      x="2.2"
      y="2.2"
      width="6.6"
      height="6.6"
      fill="none"
      stroke="var(--recreated)"
      stroke-width="1.5"
    />
    <rect x="5.6" y="5.6" width="6.6" height="6.6" fill="var(--recreated)" />
  {:else if state === 'unreadable'}
    <path d="M2 7h10M4 4.2l6 5.6M10 4.2 4 9.8" stroke="var(--unreadable)" stroke-width="1.5" />
  {:else}
    <circle cx="7" cy="7" r="1.6" fill="var(--line-strong)" />
  {/if}
</svg>

<style>
  .dash {
    stroke-dasharray: 2.6 2;
  }
</style>
