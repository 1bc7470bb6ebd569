<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import type { Backup, Kept, System } from '$lib/api/client';
  import { keeping, schedules, verifySystem } from '$lib/api/practice';
  import { session } from '$lib/api/queries';
  import type { AskedFor } from '$lib/model/asked';
  import { count } from '$lib/model/differences';
  import { createDoing } from '$lib/model/doing.svelte';
  import { asWords } from '$lib/model/policy';
  import { plainName } from '$lib/model/paths';
  import { ago, until } from '$lib/model/time';
  import KeepingSheet from './KeepingSheet.svelte';
  import RetentionSheet from './RetentionSheet.svelte';
  import SchedulesSheet from './SchedulesSheet.svelte';

  /** How a system is kept, in four sentences: when, what, for how long, and whether it is whole. */
  interface Props {
    system: System;
    backups: Backup[];
    kept: Kept | undefined;
    sheet: string;
    onsheet: (name: string) => void;
    onasked: (asked: AskedFor) => void;
  }
  let { system, backups, kept, sheet, onsheet, onasked }: Props = $props();

  const planned = createQuery(() => schedules(system.id));
  const takes = createQuery(() => keeping(system.id));
  const person = createQuery(session);
  const rules = $derived(person.data?.role === 'administrator');
  const unread = $derived(backups.filter((b) => !b.verified_at).length);
  const damaged = $derived(backups.filter((b) => b.damage_count).length);
  const oldest = $derived(
    backups
      .map((b) => b.verified_at)
      .filter((at) => at !== null)
      .sort()[0],
  );
  const left = $derived(takes.data?.choice);
  const leaves = $derived(
    (left?.kinds_out?.length ?? 0) + (left?.places?.length ?? 0) + (left?.places_out?.length ?? 0),
  );
  const doing = createDoing();

  const verify = (): void =>
    doing.run('verify', async () =>
      onasked({ number: await verifySystem(system.id), kind: 'verify', at: [] }),
    );
  const show = (name: string, open: boolean): void => onsheet(open ? name : '');
</script>

<dl
  class="mt-2 grid grid-cols-[76px_minmax(0,42rem)_minmax(110px,1fr)] gap-x-3 gap-y-1 border-l-3 border-line-strong pl-3"
>
  <dt class="text-ink-2">made</dt>
  <dd>
    {#each planned.data ?? [] as one, n (one.id)}
      {#if n}<span class="mx-1 text-ink-3">·</span>{/if}
      <span class={one.paused ? 'text-ink-3' : ''}
        >{one.at?.length ? `${plainName(one.at.at(-1)!)} ` : 'all of it '}{one.words}{one.paused
          ? ' (paused)'
          : ''}</span
      >{#if one.overdue_since}<b class="font-semibold text-stop"
          >{`, overdue: it was due ${ago(one.overdue_since)}`}</b
        >{:else if one.next[0]}<span class="text-ink-2">, next {until(one.next[0])}</span>{/if}
    {:else}
      {#if planned.data}<span class="text-confirm">only when somebody asks: no schedule yet</span
        >{/if}
    {/each}
  </dd>
  <dd><button class="link" onclick={() => onsheet('schedules')}>schedules…</button></dd>
  <dt class="text-ink-2">holding</dt>
  <dd>
    {leaves
      ? `all but what ${count(leaves, 'rule')} ${leaves === 1 ? 'leaves' : 'leave'} out`
      : 'all of the system'}
  </dd>
  <dd>
    {#if rules}<button class="link" onclick={() => onsheet('takes')}>what they take…</button>{/if}
  </dd>
  <dt class="text-ink-2">kept</dt>
  <dd>
    {#if kept}
      {asWords(kept.policy)}{#if kept.goes.length}<b class="font-semibold text-confirm"
          >; {count(kept.goes.length, 'backup')}
          {kept.goes.length === 1 ? 'goes' : 'go'} within the hour</b
        >{:else if kept.next_at}<span class="text-ink-2"
          >; {count(kept.next.length, 'backup')}
          {kept.next.length === 1 ? 'goes' : 'go'} next, {until(kept.next_at)}</span
        >{/if}
    {/if}
  </dd>
  <dd><button class="link" onclick={() => onsheet('retention')}>how long…</button></dd>
  <dt class="text-ink-2">readable</dt>
  <dd>
    {#if damaged}
      <b class="font-semibold text-stop"
        >{count(damaged, 'backup')} cannot be read as kept; the next backup that holds the same mends
        it</b
      >
    {:else if unread === backups.length}
      not known: none was read again since it was made
    {:else}
      as kept, when they were read {ago(oldest!)}{unread ? `; ${unread} not read again yet` : ''}
    {/if}
    {#if doing.error}<span class="text-stop">{doing.error.message}</span>{/if}
  </dd>
  <dd><button class="link" onclick={verify}>read all again</button></dd>
</dl>
<SchedulesSheet
  bind:open={() => sheet === 'schedules', (open) => show('schedules', open)}
  {system}
  schedules={planned.data ?? []}
  {onasked}
/>
<RetentionSheet
  bind:open={() => sheet === 'retention', (open) => show('retention', open)}
  {system}
  {kept}
  {rules}
/>
{#if takes.data}
  <KeepingSheet
    bind:open={() => sheet === 'takes', (open) => show('takes', open)}
    {system}
    keeping={takes.data}
  />
{/if}
