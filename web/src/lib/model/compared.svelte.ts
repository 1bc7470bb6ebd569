import { createQuery } from '@tanstack/svelte-query';
import type { Bench } from '$lib/api/client';
import { bench, compareHead, untilCompared, type Looked } from '$lib/api/comparing';
import { nameOf, type Sides } from './differences';
import type { Path } from './paths';

const asTold = (told: Bench): Bench => told;

/**
 * Asks what Sort tells of two records: of them as a whole, and of the object on the bench. What an
 * earlier look at live has shown stands until the newest is compared.
 */
export function createCompared(asked: () => { looked: Looked; path: Path | undefined }) {
  const { looked, path } = $derived(asked());
  const whole = $derived(compareHead(looked));
  const object = $derived(bench(looked, path ?? []));
  const head = createQuery(() => ({ ...whole, placeholderData: untilCompared(whole.queryKey) }));
  const shown = createQuery(() => ({
    ...object,
    enabled: path !== undefined,
    // what a later look tells the same stays the very same, and nothing of it is drawn anew
    select: asTold,
    placeholderData: untilCompared(object.queryKey),
  }));
  const live = $derived(head.data?.right.kind === 'look');
  const sides: Sides = $derived({
    left: nameOf(head.data?.left, 'backup'),
    right: live || !head.data ? 'live' : nameOf(head.data.right, ''),
  });
  return {
    head,
    shown,
    /** Whether the right side is the live system, as far as it is known yet. */
    get live() {
      return live;
    },
    /** What the two sides are called. */
    get sides() {
      return sides;
    },
  };
}
