<script lang="ts">
  import type { Backup, Kept, System } from '$lib/api/client';
  import type { AskedFor } from '$lib/model/asked';
  import { navigate } from '../../routes';
  import BackupRow from './BackupRow.svelte';

  /** All backups of a system, newest first; two of them can be compared. */
  interface Props {
    system: System;
    backups: Backup[];
    kept: Kept | undefined;
    onasked: (asked: AskedFor) => void;
  }
  let { system, backups, kept, onasked }: Props = $props();

  /** Of so many, the newest, it is told at once how far live is from them. */
  const NEAR = 6;
  let pair = $state<number[]>([]);
  const sorted = $derived([...pair].sort((a, b) => a - b));
  const heads = [
    'taken',
    'note',
    'by',
    'changed since the one before',
    'live differs from it now',
    'objects',
    'new in store',
    'state',
    '',
  ];
  const why = $derived(new Map(kept?.keeps.map((k) => [k.backup, k.why])));
  const gone = $derived(new Set(kept?.goes.map((g) => g.backup)));

  function fate(id: number): string {
    if (gone.has(id)) return 'goes within the hour';
    if (kept?.next_at && kept.next.includes(id)) return kept.next_at;
    return '';
  }
</script>

<table class="w-full text-left">
  <thead class="border-b border-line-strong text-sm text-ink-2">
    <tr>
      <th class="w-6"></th>
      {#each heads as head, n (n)}
        <th class="py-1 pr-4 font-normal {n === 5 || n === 6 ? 'text-right' : ''}">{head}</th>
      {/each}
    </tr>
  </thead>
  <tbody>
    {#each backups as backup, n (backup.id)}
      <BackupRow
        near={n < NEAR || backup.baseline}
        {system}
        {backup}
        why={why.get(backup.id) ?? []}
        fate={fate(backup.id)}
        {onasked}
        bind:pair
      />
    {/each}
  </tbody>
</table>
<div class="mt-3 flex items-center gap-3">
  <button
    class="act"
    disabled={pair.length !== 2}
    onclick={() =>
      navigate('/sort/:system', {
        params: { system: String(system.id) },
        search: { left: sorted[0]!, right: sorted[1]! },
      })}
  >
    Compare the two chosen
  </button>
  <span class="text-sm text-ink-2">{pair.length} of 2 chosen</span>
</div>
