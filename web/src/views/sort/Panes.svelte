<script lang="ts">
  import type { Snippet } from 'svelte';
  import { trayWidth, treeWidth } from '$lib/model/panes.svelte';
  import Divider from './Divider.svelte';

  /** Tree, bench and tray side by side; where there is little room the tray lies over them. */
  interface Props {
    inert: boolean;
    tree: Snippet;
    bench: Snippet;
    tray: Snippet;
  }
  let { inert, tree, bench, tray }: Props = $props();

  const tell = (width: number | null): string | undefined => width?.toString().concat('px');
</script>

<main
  tabindex="-1"
  {inert}
  class="relative col-start-1 row-start-2 grid min-h-0 grid-cols-[min(var(--tree),46%)_minmax(0,1fr)_min(var(--tray),34%)] max-[999px]:grid-cols-[min(var(--tree),46%)_minmax(0,1fr)]"
  style:--tree={tell(treeWidth.width) ?? 'max(230px, 24%)'}
  style:--tray={tell(trayWidth.width) ?? 'max(220px, 20%)'}
>
  {@render tree()}
  {@render bench()}
  {@render tray()}
  <Divider
    pane={treeWidth}
    label="Width of the tree"
    edge="right"
    class="left-[calc(min(var(--tree),46%)-3px)]"
  />
  <Divider
    pane={trayWidth}
    label="Width of the tray"
    edge="left"
    class="right-[calc(min(var(--tray),34%)-3px)] max-[999px]:hidden"
  />
</main>
