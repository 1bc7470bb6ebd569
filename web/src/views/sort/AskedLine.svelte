<script lang="ts">
  import { searchParams } from 'sv-router';
  import type { System } from '$lib/api/client';
  import type { AskedFor } from '$lib/model/asked';
  import Asked from '$lib/parts/Asked.svelte';

  /** What became of the look or the backup that was asked for here. */
  interface Props {
    asked: AskedFor | undefined;
    system: System;
    onagain: (asked: AskedFor) => void;
  }
  let { asked = $bindable(), system, onagain }: Props = $props();

  function show({ kind }: AskedFor, record: number): void {
    if (kind === 'look') searchParams.delete('right');
    else searchParams.set('left', String(record));
    asked = undefined;
  }
</script>

{#if asked}
  {@const one = asked}
  <p class="mb-2 border-b border-line pb-2">
    <Asked
      asked={one}
      {system}
      onagain={() => onagain(one)}
      onshow={(record) => show(one, record)}
      ondone={() => (asked = undefined)}
    />
  </p>
{/if}
