import { untrack } from 'svelte';

/**
 * Fills a sheet each time it is opened, and not again while it is: what it was filled from may
 * change meanwhile, and what somebody has written in it must not be lost.
 */
export function whenOpened(open: () => boolean, fill: () => void): void {
  const isOpen = $derived(open());
  $effect(() => {
    if (isOpen) untrack(fill);
  });
}
