import { queryClient } from '$lib/api/cache';
import { bench, neighbour, objectHistory, type Looked } from '$lib/api/comparing';
import type { Path } from './paths';
import type { Tree } from './tree.svelte';

/**
 * Fetches what a person at `here` most likely asks for next, the likeliest first: what is beneath
 * this row, the next difference with the rows around it and its bench, the rows of the one after
 * it, and the difference before. `stay.over` says that the person has gone on.
 */
export async function fetchAhead(
  looked: Looked,
  tree: Tree,
  here: Path,
  stay: { over: boolean },
): Promise<void> {
  let next: Path | null = null;
  let after: Path | null = null;
  const steps = [
    () => tree.prepare(here),
    async () => (next = await queryClient.fetchQuery(neighbour(looked, here, 'next'))),
    () => next && tree.prepare(next),
    () => next && queryClient.prefetchQuery(bench(looked, next)),
    async () => (after = next && (await queryClient.fetchQuery(neighbour(looked, next, 'next')))),
    () => after && tree.prepare(after),
    () => queryClient.prefetchQuery(neighbour(looked, here, 'previous')),
    () => next && queryClient.prefetchQuery(objectHistory(looked, next)),
  ];
  try {
    for (const step of steps) {
      if (stay.over) return;
      await step();
    }
  } catch {
    // the key itself will tell what is wrong
  }
}

/** A person who goes on sooner than this, in ms, has nothing fetched ahead. */
const AHEAD = 20;

/**
 * Fetches what the next key most likely asks for, as long as the person stays at `here`; returns
 * what is to be called when they go on.
 */
export function aheadFrom(looked: Looked, tree: Tree, here: Path): () => void {
  const stay = { over: false };
  const timer = setTimeout(fetchAhead, AHEAD, looked, tree, here, stay);
  return () => {
    clearTimeout(timer);
    stay.over = true;
  };
}
