<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { Dialog } from 'bits-ui';
  import type { Hit, System } from '$lib/api/client';
  import { search } from '$lib/api/queries';
  import { givesFocusBack } from '$lib/model/focus';
  import { rested } from '$lib/model/rested.svelte';
  import Trouble from '$lib/parts/Trouble.svelte';
  import { navigate } from '../../routes';
  import HitRow from './HitRow.svelte';

  /** Finds an object that nobody remembers the place of, also in backups long past. */
  interface Props {
    open: boolean;
    /** What was typed before it had the keyboard. */
    ahead: string;
    system: System | undefined;
  }
  let { open = $bindable(), ahead = $bindable(), system }: Props = $props();

  const PAUSE = 120;
  let typed = $state('');
  let only = $state<'' | 'present' | 'gone'>('');
  let here = $state(false);
  let at = $state(0);

  const wanted = rested(() => typed.trim(), PAUSE);
  const text = $derived(wanted.current);

  const found = createQuery(() => ({
    ...search(text, here ? system?.id : undefined, only),
    enabled: open && text.length > 1,
    placeholderData: (before) => before,
  }));
  const hits = $derived(text.length > 1 ? (found.data?.hits ?? []) : []);

  $effect(() => {
    void hits;
    at = 0;
  });

  /** Enter was pressed; it holds for what was typed, as soon as that has been looked for. */
  let entered = $state(false);
  const isAnswered = $derived(
    text === typed.trim() && (text.length < 2 || (!!found.data && !found.isPlaceholderData)),
  );

  $effect(() => {
    if (!entered || !isAnswered) return;
    entered = false;
    void go(hits[at]);
  });

  async function go(hit: Hit | undefined): Promise<void> {
    if (!hit) return;
    open = false;
    await navigate('/sort/:system', {
      params: { system: String(hit.system) },
      search: { ...(hit.record && { left: hit.record.id }), at: JSON.stringify(hit.path) },
    });
  }

  function keyed(event: KeyboardEvent): void {
    if (event.key === 'ArrowDown') at = Math.min(hits.length - 1, at + 1);
    else if (event.key === 'ArrowUp') at = Math.max(0, at - 1);
    else if (event.key === 'Enter') entered = true;
    else {
      if (event.key.length === 1 || event.key === 'Backspace') entered = false;
      return;
    }
    event.preventDefault();
    document.getElementById(`hit-${at}`)?.scrollIntoView({ block: 'nearest' });
  }

  const focus = givesFocusBack();
  let input = $state<HTMLInputElement>();

  // what was searched for before can be written over at once
  function opened(event: Event): void {
    focus.onOpenAutoFocus(event);
    event.preventDefault();
    input?.focus();
    entered = ahead.includes('\n');
    if (ahead) typed = ahead.replaceAll('\n', '');
    else input?.select();
    ahead = '';
  }

  const SCOPES = [
    ['', 'in all backups'],
    ['present', 'only what is there now'],
    ['gone', 'only what is gone'],
  ] as const;
</script>

<Dialog.Root bind:open>
  <Dialog.Portal>
    <Dialog.Overlay class="fixed inset-0 bg-ink/30" />
    <Dialog.Content
      onOpenAutoFocus={opened}
      onCloseAutoFocus={focus.onCloseAutoFocus}
      class="fixed top-14 left-1/2 grid max-h-[80vh] w-[min(720px,96vw)] -translate-x-1/2 grid-rows-[auto_minmax(0,1fr)_auto] border border-line-strong bg-sheet"
    >
      <div class="border-b border-line p-3">
        <Dialog.Title class="sr-only">Search</Dialog.Title>
        <input
          class="w-full rounded border border-line-strong bg-paper px-2.5 py-1.5 text-lg"
          placeholder="Part of a name, a path, or words of a value"
          aria-label="Search for"
          role="combobox"
          aria-expanded={hits.length > 0}
          aria-controls="hits"
          aria-activedescendant={hits.length ? `hit-${at}` : undefined}
          autocomplete="off"
          spellcheck="false"
          bind:this={input}
          bind:value={typed}
          onkeydown={keyed}
        />
        <div class="mt-2 flex items-center gap-4 text-sm text-ink-2">
          {#each SCOPES as [value, label] (value)}
            <label class="flex items-center gap-1.5">
              <input type="radio" class="accent-pick" {value} bind:group={only} />{label}
            </label>
          {/each}
          {#if system}
            <label class="ml-auto flex items-center gap-1.5">
              <input type="checkbox" class="accent-pick" bind:checked={here} />only {system.name}
            </label>
          {/if}
        </div>
      </div>
      <div id="hits" role="listbox" aria-label="Found" class="overflow-auto">
        {#if found.error && text.length > 1}
          <div class="p-3"><Trouble error={found.error} /></div>
        {:else if hits.length}
          {#each hits as hit, n (n)}
            <HitRow
              id="hit-{n}"
              {hit}
              {text}
              chosen={n === at}
              onchoose={() => go(hit)}
              onpoint={() => (at = n)}
            />
          {/each}
        {:else if text.length > 1 && found.data}
          <p class="p-4 text-ink-2">
            Nothing {only === 'gone' ? 'that is gone ' : ''}holds “{text}” in its name or its
            values.
          </p>
        {:else}
          <p class="p-4 text-ink-2">
            Names are found by any part of them, values by their words. <code class="font-mono"
              >kind:group</code
            > lets only one kind through. Objects deleted long ago are found in the backups that have
            them.
          </p>
        {/if}
      </div>
      <div class="flex items-center gap-4 border-t border-line px-3 py-1.5 text-xs text-ink-2">
        <span><kbd>↑ ↓</kbd> choose</span><span><kbd>Enter</kbd> open in Sort</span>
        {#if found.data?.more}<span>There are more; write more of it.</span>{/if}
        {#if found.data?.unsure.length}
          <span class="ml-auto text-confirm"
            >What the newest look at {found.data.unsure.join(', ')} shows is not known.</span
          >
        {/if}
        {#if found.data?.behind.length}
          <span class="ml-auto text-confirm"
            >The newest backups of {found.data.behind.join(', ')} are still being taken in.</span
          >
        {/if}
      </div>
    </Dialog.Content>
  </Dialog.Portal>
</Dialog.Root>
