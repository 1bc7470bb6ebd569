import { untrack } from 'svelte';
import type { Looked } from '$lib/api/comparing';
import { Tree } from './tree.svelte';

interface Asked {
  looked: Looked;
  only: 'differences' | 'all';
}

/**
 * Keeps the tree of what is looked at. That of a later look takes the place of the one before once
 * it is there, with the same branches open, so that nothing jumps.
 *
 * `arrive` goes to what a new tree is to show first; `fail` tells why it cannot be shown.
 */
export function createShownTree(
  asked: () => Asked,
  arrive: (tree: Tree) => Promise<void>,
  fail: (problem: Error) => void,
) {
  const fresh = $derived(new Tree(asked().looked, asked().only));
  let shown = $state.raw(untrack(() => fresh));

  $effect(() => {
    const next = fresh;
    const before = untrack(() => shown);
    const isLater = before.showsSameAs(next);
    if (!isLater) shown = next;
    next
      .begin(() => arrive(next), isLater ? before.opened() : [])
      .catch(fail)
      .finally(() => {
        if (fresh === next) shown = next;
      });
  });

  return {
    get current() {
      return shown;
    },
  };
}
