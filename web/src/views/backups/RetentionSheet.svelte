<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import type { Kept, Policy, System } from '$lib/api/client';
  import { retentionAhead, saveRetention } from '$lib/api/practice';
  import { count } from '$lib/model/differences';
  import { createDoing } from '$lib/model/doing.svelte';
  import { whenOpened } from '$lib/model/opening.svelte';
  import { asWords, SPANS } from '$lib/model/policy';
  import { rested } from '$lib/model/rested.svelte';
  import { ago, bytes } from '$lib/model/time';
  import Sheet from '$lib/parts/Sheet.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';

  /** How long backups are kept: what a change would drop is shown before it is saved. */
  interface Props {
    open: boolean;
    system: System;
    kept: Kept | undefined;
    /** Whether this person may change it. */
    rules: boolean;
  }
  let { open = $bindable(), system, kept, rules }: Props = $props();

  let policy = $state<Policy>({ zone: 'UTC' });
  const doing = createDoing();
  whenOpened(
    () => open && kept !== undefined,
    () => (policy = { ...kept!.policy }),
  );
  const REST = 250;
  const typed = rested(() => ({ ...policy }), REST);
  const ahead = createQuery(() => ({ ...retentionAhead(system.id, typed.current), enabled: open }));
  const NAMES = [
    ['good', 'of the good ones, the last'],
    ['problems', 'of those with problems, the last'],
    ...SPANS.map(([rule, name]) => [rule, `one a ${name}, for so many ${name}s`] as const),
  ] as const;

  function change(rule: (typeof NAMES)[number][0], text: string): void {
    policy[rule] = text === '' ? null : Math.max(0, Math.floor(Number(text)));
  }

  function save(event: SubmitEvent): void {
    event.preventDefault();
    doing.run('save', async () => {
      await saveRetention(system.id, policy);
      open = false;
    });
  }
</script>

<Sheet
  bind:open
  title="How long backups of {system.name} are kept"
  description="A backup stays as long as any rule keeps it. Good ones and those with problems are counted apart; what is pinned, the baseline and what a preview needs never goes."
  width={760}
>
  <form onsubmit={save} class="grid grid-cols-[300px_minmax(0,1fr)] gap-x-6">
    <div class="grid content-start gap-y-1.5">
      {#each NAMES as [rule, words] (rule)}
        <label class="grid grid-cols-[minmax(0,1fr)_76px] items-center">
          {words}
          <input
            class="field"
            type="number"
            min="0"
            placeholder="—"
            disabled={!rules}
            value={policy[rule] ?? ''}
            oninput={(event) => change(rule, event.currentTarget.value)}
          />
        </label>
      {/each}
      <p class="mt-1 text-sm text-ink-2">{asWords(policy)}</p>
    </div>
    <div aria-live="polite" class="min-h-40">
      {#if ahead.error}
        <Trouble error={ahead.error} />
      {:else if !ahead.data}
        <p class="text-ink-2" role="status">Working out what would go…</p>
      {:else if ahead.data.goes.length}
        <h3 class="font-semibold text-confirm">
          {count(ahead.data.goes.length, 'backup')} would go
        </h3>
        <p class="text-sm text-ink-2">
          {ahead.data.frees === null
            ? 'How much space that frees cannot be told, since something that is kept is damaged.'
            : `That frees ${bytes(ahead.data.frees)}; what others share stays.`}
        </p>
        <ul class="mt-1 max-h-64 overflow-auto text-sm">
          {#each ahead.data.goes as one (one.backup)}
            <li class="flex gap-3 border-b border-line py-0.5">
              <span class="whitespace-nowrap">{ago(one.taken_at)}</span>
              <span class="truncate text-ink-2">{one.note}</span>
              <span class="ml-auto font-mono whitespace-nowrap"
                >{one.frees === null ? '' : bytes(one.frees)}</span
              >
            </li>
          {/each}
        </ul>
      {:else}
        <p class="font-semibold">Nothing would go now.</p>
        <p class="text-sm text-ink-2">{count(ahead.data.keeps.length, 'backup')} would stay.</p>
      {/if}
    </div>
    <div class="col-span-2 mt-3 flex items-center justify-end gap-2.5">
      {#if doing.error}<Trouble error={doing.error} />{/if}
      {#if !rules}<span class="text-ink-2">Only administrators change this.</span>{/if}
      <button type="button" class="act" onclick={() => (open = false)}>Back</button>
      <button class="act main" disabled={!!doing.busy || !rules || !ahead.data}>
        {ahead.data?.goes.length
          ? `Keep by these rules and drop ${count(ahead.data.goes.length, 'backup')}`
          : 'Keep by these rules'}
      </button>
    </div>
  </form>
</Sheet>
