<script lang="ts">
  import { count } from '$lib/model/differences';
  import { bytes, span } from '$lib/model/time';

  /** What a backup is going to take, as far as those before it tell. */
  interface Props {
    expected:
      | { known: boolean; objects: number; bytes: number; seconds: number; free: number | null }
      | undefined;
  }
  let { expected }: Props = $props();
</script>

{#if expected}
  {#if expected.known}
    Some {count(expected.objects, 'object')}, in {span(expected.seconds)} or so; at most {bytes(
      expected.bytes,
    )} were new the last times.
  {:else}
    Nothing like it was kept before, so how much it takes is not known.
  {/if}
  {#if expected.free !== null}{bytes(expected.free)} are free.{:else}How much room there is cannot
    be seen from here.{/if}
{/if}
