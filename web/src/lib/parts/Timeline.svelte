<script lang="ts">
  import type { Backup } from '$lib/api/client';
  import { count, inWords, total } from '$lib/model/differences';
  import { plainName } from '$lib/model/paths';
  import { ago, bytes, shortDay } from '$lib/model/time';
  import Brackets from './Brackets.svelte';

  interface Props {
    backups: Backup[];
    width: number;
    height?: number;
    left?: number;
    right?: number;
    rightLabel?: string;
    /** Room beneath the line, in CSS px, for how much of each backup was new in the store. */
    hanging?: number;
    /** Backups that are dropped, or will be next. */
    going?: Set<number>;
    onleft?: (id: number) => void;
    onright?: (id: number | null) => void;
  }
  let {
    backups,
    width,
    height = 66,
    left,
    right,
    rightLabel = 'now',
    hanging = 0,
    going = new Set(),
    onleft,
    onright,
  }: Props = $props();

  const margin = 14;
  const base = $derived(height - 18 - hanging);
  const largest = $derived(Math.max(1, ...backups.map((b) => b.stored_bytes)));
  const ordered = $derived([...backups].reverse());
  // Half by time, half by rank, so that neighbours in time never hide each other.
  const ticks = $derived.by(() => {
    const times = ordered.map((b) => new Date(b.taken_at).getTime());
    const first = times[0] ?? 0;
    const span = Math.max(1, (times.at(-1) ?? 1) - first);
    const room = width - 2 * margin - 56;
    return ordered.map((backup, rank) => {
      const byTime = (times[rank]! - first) / span;
      const byRank = ordered.length > 1 ? rank / (ordered.length - 1) : 1;
      const changes = total(backup.changes);
      return {
        backup,
        x: margin + room * (0.45 * byTime + 0.55 * byRank),
        tall: changes ? Math.min(30, 5 + 6 * Math.log2(1 + changes)) : 4,
        deep:
          hanging && (hanging - 3) * (Math.log2(1 + backup.stored_bytes) / Math.log2(1 + largest)),
      };
    });
  });
  const now = $derived(width - margin);
  const rightX = $derived(ticks.find((t) => t.backup.id === right)?.x ?? now);
  const leftLabel = $derived.by(() => {
    const found = ordered.find((b) => b.id === left);
    if (!found) return '';
    const only = found.at.length ? `only ${plainName(found.at.at(-1)!)}` : '';
    return [`backup of ${ago(found.taken_at)}`, only, found.note].filter(Boolean).join(' · ');
  });
  const labels = $derived.by(() => {
    const out: { x: number; text: string }[] = [];
    for (const { backup, x } of ticks) {
      const before = out.at(-1);
      if ((!before || x - before.x > 96) && Math.abs(x - rightX) > 130)
        out.push({ x, text: shortDay(backup.taken_at) });
    }
    return out;
  });

  function told(backup: Backup): string {
    const parts = [`Backup of ${ago(backup.taken_at)}`, backup.note];
    if (backup.at.length) parts.splice(1, 0, `holds only ${plainName(backup.at.at(-1)!)}`);
    parts.push(inWords(backup.changes) || 'nothing had changed');
    if (backup.problem_count) parts.push(count(backup.problem_count, 'problem'));
    if (backup.damage_count) parts.push('some of it cannot be read');
    if (hanging) parts.push(`${bytes(backup.stored_bytes)} new in the store`);
    if (backup.pinned) parts.push('pinned');
    if (backup.baseline) parts.push('the baseline');
    if (going.has(backup.id)) parts.push('goes next');
    return parts.filter(Boolean).join(' · ');
  }

  // one of the ticks can be reached with Tab, the others from it with the arrows
  const reached = $derived(ticks.some((t) => t.backup.id === left) ? left : ordered.at(-1)?.id);
  const STEPS: Record<string, (at: number) => number> = {
    ArrowLeft: (at) => at - 1,
    ArrowRight: (at) => at + 1,
    Home: () => 0,
    End: () => ordered.length - 1,
  };

  /** Where the brackets are drawn, also while one of them is dragged. */
  let drawn = $state<{ left: number; right: number }>();

  function keyed(event: KeyboardEvent, at: number): void {
    const step = STEPS[event.key];
    if (step) {
      const ticks = (event.currentTarget as Element).parentElement!.querySelectorAll(
        '[role=button]',
      );
      (ticks[step(at)] as SVGElement | undefined)?.focus();
    } else if (event.key === 'Enter' || event.key === ' ') {
      const { id } = ordered[at]!;
      if (event.shiftKey) onright?.(id);
      else onleft?.(id);
    } else return;
    event.preventDefault();
    event.stopPropagation();
  }
</script>

<svg {width} {height} role="group" aria-label="Timeline of backups">
  {#if drawn}
    <rect
      x={Math.min(drawn.left, drawn.right)}
      y="4"
      width={Math.abs(drawn.right - drawn.left)}
      height={base - 4}
      fill="var(--pick-wash)"
    />
  {/if}
  <line x1={margin - 6} x2={now} y1={base} y2={base} stroke="var(--line-strong)" />
  {#each ticks as { backup, x, tall, deep }, at (backup.id)}
    {@const chosen = backup.id === left}
    <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
    <g
      role={onleft ? 'button' : undefined}
      tabindex={onleft ? (backup.id === reached ? 0 : -1) : undefined}
      aria-label={onleft ? told(backup) : undefined}
      aria-pressed={onleft ? chosen : undefined}
      class={onleft ? 'cursor-pointer' : ''}
      onclick={(event) => (event.shiftKey ? onright?.(backup.id) : onleft?.(backup.id))}
      onkeydown={(event) => keyed(event, at)}
    >
      <title>{told(backup)}</title>
      <rect x={x - 7} y="0" width="14" height={base} fill="transparent" />
      {#if backup.problem_count}
        <path
          d="M{x} {base}v-{tall * 0.4}m0 -4v-{tall * 0.6 + 3}"
          stroke="var(--confirm)"
          stroke-width="3"
        />
      {:else}
        <path
          d="M{x} {base}v-{tall}"
          stroke={chosen ? 'var(--ink)' : 'var(--ink-2)'}
          stroke-width={backup.at.length ? 1.5 : 3}
          stroke-dasharray={backup.at.length ? '3 2' : undefined}
        />
      {/if}
      {#if hanging}
        <path d="M{x} {base + 2}v{deep}" stroke="var(--line-strong)" stroke-width="5" />
      {/if}
      {#if backup.damage_count}
        <path d="M{x - 5} {base - 3}l10 6m0 -6l-10 6" stroke="var(--stop)" stroke-width="2" />
      {/if}
      {#if going.has(backup.id)}
        <circle
          cx={x}
          cy={base}
          r="5"
          fill="var(--paper)"
          stroke="var(--ink-2)"
          stroke-dasharray="2 2"
        />
      {/if}
      {#if backup.baseline}
        <path d="M{x - 7} {base - tall - 3}h14" stroke="var(--ink)" stroke-width="3" />
      {/if}
      {#if backup.pinned}
        <path d="M{x} {base - tall - 2}v-12l9 4-9 4" fill="var(--ink)" stroke="var(--ink)" />
      {/if}
    </g>
  {/each}
  {#each labels as { x, text } (x)}
    <text
      {x}
      y={height - 4}
      font-size="11"
      fill="var(--ink-2)"
      text-anchor={x < 40 ? 'start' : 'middle'}>{text}</text
    >
  {/each}
  <circle cx={now} cy={base} r="3" fill="var(--ink-2)" />
  <Brackets
    places={ticks.map(({ backup, x }) => ({ id: backup.id, x, text: told(backup) }))}
    {now}
    {base}
    {width}
    {height}
    {left}
    {right}
    {leftLabel}
    {rightLabel}
    bind:drawn
    {onleft}
    {onright}
  />
</svg>
