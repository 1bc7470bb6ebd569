<script lang="ts">
  import { tick } from 'svelte';
  import type { Pane } from '$lib/model/panes.svelte';

  /** The edge of a pane: dragged, or moved with the arrows; a double click lets go of the width. */
  interface Props {
    pane: Pane;
    label: string;
    /** Which side of its pane it is on. */
    edge: 'left' | 'right';
    class: string;
  }
  let { pane, label, edge, class: place }: Props = $props();

  const STEP = 24;
  let line = $state<HTMLElement>();
  let dragged = $state(false);
  /** How wide the pane is where nobody has changed it. */
  let usual = $state(0);
  $effect(() => {
    if (pane.width === null) void tick().then(() => (usual = Math.round(now())));
  });

  const now = (): number => {
    const host = line?.parentElement?.getBoundingClientRect();
    const at = line?.getBoundingClientRect();
    if (!host || !at) return pane.least;
    const middle = at.left + at.width / 2;
    return edge === 'right' ? middle - host.left : host.right - middle;
  };

  function drag(event: PointerEvent): void {
    const host = line?.parentElement?.getBoundingClientRect();
    if (!dragged || !host) return;
    pane.set(edge === 'right' ? event.clientX - host.left : host.right - event.clientX);
  }

  function keyed(event: KeyboardEvent): void {
    const wider = edge === 'right' ? 'ArrowRight' : 'ArrowLeft';
    const narrower = edge === 'right' ? 'ArrowLeft' : 'ArrowRight';
    if (event.key === wider) pane.set(now() + STEP);
    else if (event.key === narrower) pane.set(now() - STEP);
    else if (event.key === 'Home') pane.reset();
    else return;
    event.preventDefault();
    event.stopPropagation();
  }
</script>

<!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions -->
<div
  bind:this={line}
  role="separator"
  tabindex="0"
  aria-orientation="vertical"
  aria-label={label}
  aria-valuenow={pane.width ?? usual}
  aria-valuemin={pane.least}
  aria-valuemax={pane.most}
  title="{label}: drag, or arrows; double click for the usual width"
  class="absolute inset-y-0 z-5 w-1.5 cursor-col-resize hover:bg-pick-line {dragged
    ? 'bg-pick-line'
    : ''} {place}"
  onpointerdown={(event) => {
    line?.setPointerCapture(event.pointerId);
    dragged = true;
    event.preventDefault();
  }}
  onpointermove={drag}
  onpointerup={() => (dragged = false)}
  onpointercancel={() => (dragged = false)}
  ondblclick={() => pane.reset()}
  onkeydown={keyed}
></div>
