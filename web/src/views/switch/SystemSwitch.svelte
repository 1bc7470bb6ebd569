<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { Command, Dialog } from 'bits-ui';
  import type { System } from '$lib/api/client';
  import { systems } from '$lib/api/queries';
  import { count } from '$lib/model/differences';
  import { givesFocusBack } from '$lib/model/focus';
  import { differing, isMeant } from '$lib/model/watching';
  import { navigate } from '../../routes';

  /** Goes to another system, to the same screen where it has one, else to Sort. */
  interface Props {
    open: boolean;
    /** What was typed before it had the keyboard. */
    ahead: string;
    pathname: string;
  }
  let { open = $bindable(false), ahead = $bindable(), pathname }: Props = $props();

  let typed = $state('');
  let input = $state<HTMLElement | null>(null);

  const all = createQuery(() => ({ ...systems(), enabled: open }));
  const focus = givesFocusBack();

  /** Those that are meant, first those whose name begins with what was typed. */
  const meant = $derived.by(() => {
    const begins = (one: System): boolean =>
      one.name.toLowerCase().startsWith(typed.trim().toLowerCase());
    const found = (all.data ?? []).filter((one) => isMeant(one, typed.trim()));
    return [...found.filter(begins), ...found.filter((one) => !begins(one))];
  });

  function opened(event: Event): void {
    focus.onOpenAutoFocus(event);
    event.preventDefault();
    typed = ahead.replaceAll('\n', '');
    entered = ahead.includes('\n');
    ahead = '';
    input?.focus();
  }

  /** Where the arrows have gone; what is meant first, as long as they were not used. */
  let pointed = $state('');
  let arrows = $state(false);
  /** Enter was pressed; it holds for what is meant as soon as that is known. */
  let entered = $state(false);
  const valueOf = (system: System): string => `${system.name} ${system.id}`;

  $effect(() => {
    if (!entered || !all.data) return;
    entered = false;
    const chosen = (arrows && meant.find((one) => valueOf(one) === pointed)) || meant[0];
    if (chosen) void go(chosen);
  });

  // what the list itself takes to be chosen may lag behind what was typed
  function keyed(event: KeyboardEvent): void {
    if (event.key === 'ArrowDown' || event.key === 'ArrowUp') arrows = true;
    else if (event.key === 'Enter') entered = true;
    else if (event.key.length === 1 || event.key === 'Backspace') arrows = false;
    if (event.key !== 'Enter') return;
    event.preventDefault();
    event.stopPropagation();
  }

  async function go(system: System): Promise<void> {
    open = false;
    const params = { params: { system: String(system.id) } };
    if (pathname.startsWith('/backups')) await navigate('/backups/:system', params);
    else if (pathname.startsWith('/setup')) await navigate('/setup/:system', params);
    else await navigate('/sort/:system', params);
  }

  const told = (system: System): string =>
    system.trouble
      ? 'not known'
      : !system.look
        ? 'not looked at yet'
        : differing(system)
          ? `${count(differing(system), 'object')} differ`
          : 'as in the newest backup';
</script>

<Dialog.Root bind:open>
  <Dialog.Portal>
    <Dialog.Overlay class="fixed inset-0 bg-ink/30" />
    <Dialog.Content
      onCloseAutoFocus={focus.onCloseAutoFocus}
      onOpenAutoFocus={opened}
      class="fixed top-14 left-1/2 w-[min(520px,96vw)] -translate-x-1/2 border border-line-strong bg-sheet"
    >
      <Dialog.Title class="sr-only">Go to a system</Dialog.Title>
      <Command.Root label="Systems" shouldFilter={false} bind:value={pointed} loop>
        <div class="border-b border-line p-3" onkeydowncapture={keyed}>
          <Command.Input
            class="w-full rounded border border-line-strong bg-paper px-2.5 py-1.5 text-lg"
            placeholder="Go to a system: some letters of its name"
            bind:ref={input}
            bind:value={typed}
          />
        </div>
        <Command.List class="max-h-[60vh] overflow-auto">
          <Command.Viewport>
            <Command.Empty class="p-4 text-ink-2">No system is called so.</Command.Empty>
            {#each meant as system (system.id)}
              <Command.Item
                class="flex cursor-pointer items-baseline gap-3 px-4 py-1.5 data-selected:bg-pick-wash"
                value={valueOf(system)}
                onSelect={() => void go(system)}
              >
                <b class="font-semibold">{system.name}</b>
                <span class="text-sm text-ink-2">{system.connector_label}</span>
                <span class="ml-auto text-sm text-ink-2">{told(system)}</span>
              </Command.Item>
            {/each}
          </Command.Viewport>
        </Command.List>
      </Command.Root>
    </Dialog.Content>
  </Dialog.Portal>
</Dialog.Root>
