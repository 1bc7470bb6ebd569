import type { QueryClient } from '@tanstack/svelte-query';

/**
 * Lets what is told by some key be asked for again. What is only just being asked for the first
 * time is asked for once more after that: its answer may be older than what has changed.
 */
export async function askAgain(client: QueryClient, queryKey: unknown[]): Promise<void> {
  const first = client
    .getQueryCache()
    .findAll({ queryKey })
    .some(({ state }) => state.data === undefined && state.fetchStatus === 'fetching');
  await client.invalidateQueries({ queryKey });
  if (first) await client.invalidateQueries({ queryKey });
}
