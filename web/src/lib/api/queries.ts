import { QueryClient } from '@tanstack/svelte-query';
import type { PickedThing } from '$lib/model/picks.svelte';
import { client, Failure, got } from './client';

export const queryClient = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 30_000,
      refetchOnWindowFocus: false,
      retry: (count, error) => count < 2 && !(error instanceof Failure && error.status > 0),
    },
  },
});

export const session = () => ({
  queryKey: ['session'],
  queryFn: () => got(client.GET('/api/session')),
  staleTime: Infinity,
});

export const systems = () => ({
  queryKey: ['systems'],
  queryFn: () => got(client.GET('/api/systems')),
});

export const backups = (system: number) => ({
  queryKey: ['backups', system],
  queryFn: () =>
    got(client.GET('/api/systems/{number}/backups', { params: { path: { number: system } } })),
});

export interface Sides {
  left: number;
  right: number;
}

// Two records never change, so what was compared once stays right.
const forever = { staleTime: Infinity, gcTime: 10 * 60_000 };

export const compareHead = (sides: Sides) => ({
  queryKey: ['compare', sides.left, sides.right],
  queryFn: () => got(client.GET('/api/compare', { params: { query: sides } })),
  ...forever,
});

export const outline = (sides: Sides, states: string) => ({
  queryKey: ['outline', sides.left, sides.right, states],
  queryFn: () =>
    got(client.GET('/api/compare/outline', { params: { query: { ...sides, states } } })),
  ...forever,
});

export const level = (
  sides: Sides,
  path: string[],
  only: 'differences' | 'all',
  states: string,
  start: number,
) => ({
  queryKey: ['level', sides.left, sides.right, JSON.stringify(path), only, states, start],
  queryFn: () =>
    got(
      client.GET('/api/compare/level', {
        params: { query: { ...sides, path: JSON.stringify(path), only, states, start } },
      }),
    ),
  ...forever,
});

export const bench = (sides: Sides, path: string[]) => ({
  queryKey: ['bench', sides.left, sides.right, JSON.stringify(path)],
  queryFn: () =>
    got(
      client.GET('/api/compare/object', {
        params: { query: { ...sides, path: JSON.stringify(path) } },
      }),
    ),
  ...forever,
});

export function neighbour(sides: Sides, path: string[], way: 'next' | 'previous', states: string) {
  return got(
    client.GET('/api/compare/neighbour', {
      params: { query: { ...sides, path: JSON.stringify(path), way, states } },
    }),
  );
}

const asked = (sides: Sides, picks: PickedThing[]) => ({
  backup: sides.left,
  look: sides.right,
  policy: 'overwrite' as const,
  picks,
});

export const tray = (sides: Sides, picks: PickedThing[]) => ({
  queryKey: ['tray', sides.left, sides.right, JSON.stringify(picks)],
  queryFn: () => got(client.POST('/api/tray', { body: asked(sides, picks) })),
  ...forever,
});

export function askPreview(sides: Sides, picks: PickedThing[]) {
  return got(client.POST('/api/plans', { body: asked(sides, picks) }));
}

export const plan = (number: number) => ({
  queryKey: ['plan', number],
  queryFn: () => got(client.GET('/api/plans/{number}', { params: { path: { number } } })),
});

export const runs = () => ({
  queryKey: ['runs'],
  queryFn: () => got(client.GET('/api/runs')),
});

export const run = (number: number) => ({
  queryKey: ['run', number],
  queryFn: () => got(client.GET('/api/runs/{number}', { params: { path: { number } } })),
});

export async function askWork(
  system: number,
  kind: 'look' | 'backup',
  at: string[] = [],
  note = '',
): Promise<void> {
  await got(
    client.POST('/api/systems/{number}/work', {
      params: { path: { number: system } },
      body: { kind, at, note },
    }),
  );
  await queryClient.invalidateQueries({ queryKey: ['systems'] });
}
