<script lang="ts">
  /** A line in pieces, equal and differing ones in turn; the differing ones are marked. */
  interface Props {
    pieces: string[];
    side: 'left' | 'right';
    /** Whether it goes, and nothing in it is worth a mark any more. */
    quiet?: boolean;
  }
  let { pieces, side, quiet = false }: Props = $props();

  const hue = $derived(side === 'left' ? 'var(--missing)' : 'var(--extra)');
</script>

{#each pieces as piece, p (p)}{#if p % 2 && pieces.length > 2 && piece}<mark
      class="rounded-xs px-px"
      style:color={quiet ? 'inherit' : hue}
      style:background={quiet ? 'none' : `color-mix(in srgb, ${hue} 15%, transparent)`}
      >{piece}</mark
    >{:else}{piece}{/if}{/each}
