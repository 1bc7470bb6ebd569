<script lang="ts">
  import type { Hit } from '$lib/api/client';
  import { count } from '$lib/model/differences';
  import { placeOf, plainName } from '$lib/model/paths';
  import { ago, exact } from '$lib/model/time';

  interface Props {
    id: string;
    hit: Hit;
    text: string;
    chosen: boolean;
    onchoose: () => void;
    onpoint: () => void;
  }
  let { id, hit, text, chosen, onchoose, onpoint }: Props = $props();

  const name = $derived(plainName(hit.name) || hit.written);
  const told = $derived(
    hit.told_by.kind === 'look'
      ? `as live was when it was looked at, ${exact(hit.told_by.taken_at)}`
      : `as the newest backup tells, ${exact(hit.told_by.taken_at)}; live was not looked at since`,
  );
  // the part of the name that was searched for
  const parts = $derived.by(() => {
    const at = name.toLowerCase().indexOf(text.toLowerCase());
    if (at < 0) return [name, '', ''];
    return [name.slice(0, at), name.slice(at, at + text.length), name.slice(at + text.length)];
  });
</script>

<div
  {id}
  role="option"
  tabindex="-1"
  aria-selected={chosen}
  class="grid cursor-pointer grid-cols-[minmax(0,1fr)_auto] gap-x-4 border-b border-line px-3 py-1.5 {chosen
    ? 'bg-pick-wash'
    : ''}"
  onclick={onchoose}
  onkeydown={(event) => event.key === 'Enter' && onchoose()}
  onmousemove={onpoint}
>
  <div class="min-w-0 truncate">
    <span class="font-semibold"
      >{parts[0]}<span class="text-pick underline underline-offset-2">{parts[1]}</span
      >{parts[2]}</span
    >
    <span class="text-sm text-ink-2">{hit.kind_label}</span>
  </div>
  <div class="text-right text-sm" title={told}>
    {#if !hit.record}
      <b class="font-semibold text-extra">new live</b>
    {:else if hit.now}
      {#if hit.differing}
        <span class="text-changed"
          >{hit.differing === 1 ? 'one difference' : `${hit.differing} differences`},</span
        >
      {/if}
      <span class="text-ink-2">{hit.told_by.kind === 'look' ? 'live' : 'in the newest backup'}</span
      >
    {:else}
      <b class="font-semibold text-missing">gone</b>, last in the backup of {ago(
        hit.record.taken_at,
      )}
    {/if}
  </div>
  <div class="min-w-0 truncate font-mono text-xs text-ink-2">
    {hit.system_name}
    <span class="text-ink-3">/ {placeOf(hit.path)}</span>
    {#if hit.where}<span class="ml-2">{hit.where}</span>{/if}
  </div>
  <div class="text-right text-xs text-ink-3">
    {hit.record ? count(hit.backups, 'backup') : 'in no backup'}
  </div>
</div>
