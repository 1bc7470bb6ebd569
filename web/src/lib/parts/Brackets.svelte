<script lang="ts" module>
  /** The bracket that was moved by keys: the view is made anew then, and it keeps the keyboard. */
  let moving: 'left' | 'right' | undefined;
</script>

<script lang="ts">
  import { onMount } from 'svelte';

  /**
   * The two brackets on a timeline: what is restored from, and what it is compared with. They are
   * dragged, or moved with the arrows; live is the last place that the right one can go to.
   */
  interface Place {
    id: number;
    x: number;
    text: string;
  }
  interface Props {
    places: Place[];
    now: number;
    base: number;
    width: number;
    height: number;
    left: number | undefined;
    right: number | undefined;
    leftLabel: string;
    rightLabel: string;
    drawn: { left: number; right: number } | undefined;
    onleft?: (id: number) => void;
    onright?: (id: number | null) => void;
  }
  let {
    places,
    now,
    base,
    width,
    height,
    left,
    right,
    leftLabel,
    rightLabel,
    drawn = $bindable(),
    onleft,
    onright,
  }: Props = $props();

  type Which = 'left' | 'right';
  let dragged = $state<Which>();
  /** Where the dragged one would come to stand: a backup, or live. */
  let over = $state<number | null>();

  const live = $derived(!places.some((p) => p.id === right));
  const at = (id: number | null | undefined): number | undefined =>
    id === null ? now : places.find((p) => p.id === id)?.x;
  const leftX = $derived(
    (dragged === 'left' && over !== undefined ? at(over) : undefined) ?? at(left),
  );
  const rightX = $derived(
    (dragged === 'right' && over !== undefined ? at(over) : undefined) ?? at(right) ?? now,
  );
  const named = $derived(places.find((p) => p.id === over)?.text);
  const shownLeft = $derived(dragged === 'left' && named ? named : leftLabel);
  const shownRight = $derived(dragged === 'right' ? (named ?? 'live') : rightLabel);
  // some six and a half pixels a letter: the label stands left of its handle where there is room
  const fits = $derived(leftX !== undefined && leftX > 6.6 * shownLeft.length + 16);

  $effect(() => {
    drawn = leftX === undefined ? undefined : { left: leftX, right: rightX };
  });

  function put(which: Which, id: number | null | undefined): void {
    if (id === undefined) return;
    if (which === 'left' && id !== null && id !== left) onleft?.(id);
    if (which === 'right' && id !== (live ? null : right)) onright?.(id);
  }

  function drag(event: PointerEvent): void {
    const box = (event.currentTarget as Element).closest('svg')?.getBoundingClientRect();
    if (!dragged || !box) return;
    const x = event.clientX - box.left;
    const all: { id: number | null; x: number }[] = [...places];
    if (dragged === 'right') all.push({ id: null, x: now });
    over = all.reduce((a, b) => (Math.abs(b.x - x) < Math.abs(a.x - x) ? b : a)).id;
  }

  function drop(): void {
    const [which, id] = [dragged, over];
    dragged = over = undefined;
    if (which) put(which, id);
  }

  const STEPS: Record<string, (here: number, last: number) => number> = {
    ArrowLeft: (here) => here - 1,
    ArrowRight: (here) => here + 1,
    Home: () => 0,
    End: (_, last) => last,
  };

  function keyed(event: KeyboardEvent, which: Which): void {
    const step = STEPS[event.key];
    if (!step) return;
    const ids: (number | null)[] = places.map((p) => p.id);
    if (which === 'right') ids.push(null);
    const here = ids.indexOf(which === 'left' ? (left ?? null) : live ? null : right!);
    moving = which;
    put(which, ids[step(here, ids.length - 1)]);
    event.preventDefault();
    event.stopPropagation();
  }

  let handled = $state<Record<string, SVGElement>>({});
  onMount(() => {
    const which = moving;
    moving = undefined;
    if (which) setTimeout(() => handled[which]?.focus());
  });

  const handles = $derived(
    onleft && onright && leftX !== undefined
      ? ([
          ['left', leftX, 'Restore from', places.findIndex((p) => p.id === left), leftLabel],
          [
            'right',
            rightX,
            'Compare with',
            live ? places.length : places.findIndex((p) => p.id === right),
            rightLabel,
          ],
        ] as [Which, number, string, number, string][])
      : [],
  );
</script>

{#if onright && !live}
  <!-- live stays a place to go to, also where two backups are compared -->
  <text
    role="button"
    tabindex="0"
    class="cursor-pointer underline"
    x={now}
    y="17"
    font-size="12"
    fill="var(--pick)"
    text-anchor="end"
    onclick={() => onright?.(null)}
    onkeydown={(event) => {
      if (event.key === 'Enter' || event.key === ' ') onright?.(null);
    }}>live</text
  >
{/if}
<text
  x={rightX}
  y={height - 4}
  font-size="11"
  fill="var(--ink)"
  font-weight={live ? 400 : 600}
  text-anchor={rightX > width - 120 ? 'end' : rightX < 120 ? 'start' : 'middle'}>{shownRight}</text
>
{#if leftX !== undefined}
  {@const inward = rightX >= leftX ? 8 : -8}
  <g fill="none" stroke="var(--pick)" stroke-width="3" pointer-events="none">
    <path d="M{leftX + inward} 4H{leftX}v{base - 4}h{inward}" />
    <path d="M{rightX - inward} 4H{rightX}v{base - 4}h{-inward}" />
  </g>
  {#each handles as [which, x, label, value, text] (which)}
    <rect
      bind:this={handled[which]}
      role="slider"
      tabindex="0"
      aria-label={label}
      aria-valuenow={value}
      aria-valuemin="0"
      aria-valuemax={places.length}
      aria-valuetext={text}
      class="cursor-ew-resize"
      x={x - 6}
      y="0"
      width="12"
      height="16"
      fill="transparent"
      onpointerdown={(event) => {
        dragged = which;
        event.currentTarget.setPointerCapture(event.pointerId);
        event.preventDefault();
      }}
      onpointermove={drag}
      onpointerup={drop}
      onpointercancel={() => (dragged = over = undefined)}
      onkeydown={(event) => keyed(event, which)}
    />
  {/each}
  <text
    x={fits ? leftX - 8 : leftX + 12}
    y="17"
    font-size="12"
    font-weight="600"
    fill="var(--ink)"
    pointer-events="none"
    text-anchor={fits ? 'end' : 'start'}>{shownLeft}</text
  >
{/if}
