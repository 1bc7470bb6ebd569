<script lang="ts">
  import type { System } from '$lib/api/client';
  import { inWords, total } from '$lib/model/differences';
  import { ago } from '$lib/model/time';

  let { systems }: { systems: System[] } = $props();

  interface Item {
    level: 'stop' | 'confirm' | 'note';
    title: string;
    text: string;
    href: string;
  }

  const OVERDUE_DAYS = 2;
  const ORDER = ['stop', 'confirm', 'note'];

  function of(system: System): Item[] {
    const items: Item[] = [];
    const sort = `/sort/${system.id}`;
    const newest = system.backups.find((b) => !b.at.length);
    if (system.trouble)
      return [
        {
          level: 'stop',
          title: `${system.name}: nothing can be told of it`,
          text: system.trouble,
          href: `/backups/${system.id}`,
        },
      ];
    if (system.failed) {
      const what = system.failed.kind === 'backup' ? 'backup' : 'look';
      items.push({
        level: 'stop',
        title: `${system.name}: the last ${what} failed`,
        text: system.failed.message,
        href: `/backups/${system.id}`,
      });
    }
    for (const run of system.runs) {
      const title = run.waits_until
        ? 'a run waits for it'
        : run.outcome === 'unknown'
          ? 'what a run has written is not known'
          : run.interrupted || run.outcome === 'partial'
            ? 'a run stopped half-way'
            : '';
      if (title)
        items.push({
          level: 'stop',
          title: `${system.name}: ${title}`,
          text: `${run.done} of ${run.steps} steps done. ${run.waits || run.message}`,
          href: `/runs/${run.id}`,
        });
    }
    if (system.look && total(system.look.changes)) {
      const own = system.runs.some(
        (run) =>
          run.written > 0 &&
          newest !== undefined &&
          new Date(run.started_at) > new Date(newest.taken_at),
      );
      items.push({
        level: 'confirm',
        title: `${system.name}: live differs from the newest backup`,
        text: `${inWords(system.look.changes)}. ${own ? 'Some of it may be through a run.' : 'No run of the last ones wrote since that backup.'}`,
        href: sort,
      });
    }
    if (newest?.problem_count)
      items.push({
        level: 'confirm',
        title: `${system.name}: the newest backup has problems`,
        text: newest.problems[0] ?? '',
        href: `/backups/${system.id}`,
      });
    const age = newest ? Date.now() - new Date(newest.taken_at).getTime() : Infinity;
    if (age > OVERDUE_DAYS * 86_400_000)
      items.push({
        level: newest ? 'confirm' : 'stop',
        title: newest ? `${system.name}: no backup for days` : `${system.name}: never backed up`,
        text: newest ? `The newest is of ${ago(newest.taken_at)}.` : 'Nothing could be restored.',
        href: `/backups/${system.id}`,
      });
    return items;
  }

  const items = $derived(
    systems.flatMap(of).sort((a, b) => ORDER.indexOf(a.level) - ORDER.indexOf(b.level)),
  );
</script>

<aside class="overflow-auto border-l border-line bg-sheet px-4 py-3" aria-label="Wants attention">
  <h2 class="font-semibold">Wants attention</h2>
  {#each items as item (item.title)}
    <a
      href={item.href}
      class="my-2.5 block border-l-3 py-0.5 pl-2.5 hover:bg-sunk
        {item.level === 'stop'
        ? 'border-stop'
        : item.level === 'confirm'
          ? 'border-confirm'
          : 'border-line-strong'}"
    >
      <b class="font-semibold">{item.title}</b>
      <span class="block text-ink-2">{item.text}</span>
    </a>
  {:else}
    <p class="mt-2 text-ink-2">Nothing. Live is as it was kept, and the backups are fresh.</p>
  {/each}
</aside>
