<script lang="ts">
  import type { Shown } from '$lib/api/client';
  import Pieces from '$lib/parts/Pieces.svelte';
  import { bytes } from '$lib/model/time';
  import { plainName, type Path } from '$lib/model/paths';

  interface Props {
    value: Shown;
    onchoose: (path: Path) => void;
    was?: boolean;
    will?: boolean;
    tone?: '' | 'missing' | 'extra';
    /** Which side it is of, where what differs within it is marked. */
    side?: 'left' | 'right';
  }
  let { value, onchoose, was = false, will = false, tone = '', side = 'right' }: Props = $props();

  const looks = $derived(
    will
      ? 'font-semibold text-pick'
      : tone === 'missing'
        ? 'text-missing'
        : tone === 'extra'
          ? 'text-extra'
          : '',
  );
</script>

<div class="font-mono text-sm leading-normal break-words whitespace-pre-wrap {looks}">
  <span class={was ? 'goes' : ''}
    >{#if value.form === 'reference' && value.path}
      <button
        class="link text-left font-mono"
        title={value.text}
        onclick={() => onchoose(value.path!)}>{plainName(value.path.at(-1) ?? value.text)}</button
      >
      <span class="text-xs text-ink-3">{value.path.slice(0, -1).map(plainName).join(' / ')}</span>
      {#if value.exists === false}<span class="text-xs text-stop"> names nothing</span>{/if}
    {:else if value.form === 'hex'}
      {value.text} <span class="text-xs text-ink-3">{bytes(value.size)}</span>
    {:else if value.pieces.length > 2 && !will}<Pieces pieces={value.pieces} {side} quiet={was} />
    {:else}{value.text === '' ? '(empty)' : value.text}{/if}</span
  >
</div>
