import { infiniteQueryOptions, QueryClient, queryOptions } from '@tanstack/svelte-query';
import type { Path } from '$lib/model/paths';
import type { PickedThing } from '$lib/model/picks.svelte';
import {
  client,
  Failure,
  got,
  type Again,
  type AskElsewhere,
  type AskSettings,
  type BranchTable,
  type FormerName,
  type Rules,
  type Settings,
  type Watched,
} from './client';

export const queryClient = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 30_000,
      refetchOnWindowFocus: false,
      retry: (count, error) => count < 2 && !(error instanceof Failure && error.status > 0),
    },
  },
});

export const session = () =>
  queryOptions({
    queryKey: ['session'],
    queryFn: () => got(client.GET('/api/v1/session')),
    staleTime: Infinity,
  });

export const health = () =>
  queryOptions({
    queryKey: ['health'],
    queryFn: () => got(client.GET('/api/v1/health')),
    refetchInterval: 15_000,
  });

/** What wants attention, the most urgent first: each object that differs by itself. */
export const attention = () =>
  queryOptions({
    queryKey: ['attention'],
    queryFn: () => got(client.GET('/api/v1/attention/ranked')),
    refetchInterval: 60_000,
  });

/** Saves how a system is watched: its tags, what is urgent of it, and what is minor. */
export async function saveWatched(system: number, body: Watched): Promise<void> {
  const params = { path: { number: system } };
  await got(client.PUT('/api/v1/systems/{number}/watched', { params, body }));
  await queryClient.invalidateQueries({ queryKey: systems().queryKey });
  await queryClient.invalidateQueries({ queryKey: attention().queryKey });
}

/** A backup or a look that was asked for; it is asked after until it has ended. */
export const work = (number: number) =>
  queryOptions({
    queryKey: ['work', number],
    queryFn: () => got(client.GET('/api/v1/work/{number}', { params: { path: { number } } })),
    refetchInterval: (query: { state: { data?: { state: string } } }) =>
      ['done', 'failed', 'cancelled'].includes(query.state.data?.state ?? '') ? false : 2_000,
  });

export const systems = () =>
  queryOptions({
    queryKey: ['systems'],
    queryFn: () => got(client.GET('/api/v1/systems')),
  });

export const backups = (system: number) =>
  queryOptions({
    queryKey: ['backups', system],
    queryFn: () =>
      got(client.GET('/api/v1/systems/{number}/backups', { params: { path: { number: system } } })),
  });

/** Two records, the terms they are compared by, and what of it is shown: all of it in the URL. */
export interface Looked {
  left: number;
  right: number;
  rules?: string;
  alike?: number;
  accepted?: string;
  /** What an opened file is put beneath, as a JSON list of names. */
  hangs?: string;
  states?: string;
  kinds?: string;
  attributes?: string;
  name?: string;
  since?: number;
  listed?: number;
}

/** What two records are compared by, without what only chooses among the differences. */
export function termsOf({ left, right, rules, alike, accepted, hangs }: Looked): Looked {
  return { left, right, rules, alike, accepted, hangs };
}

// Two records never change, so what was compared once stays right.
const forever = { staleTime: Infinity, gcTime: 10 * 60_000 };

export const compareHead = (looked: Looked) =>
  queryOptions({
    queryKey: ['compare', looked],
    queryFn: () => got(client.GET('/api/v1/compare', { params: { query: looked } })),
    ...forever,
  });

export const outline = (looked: Looked) =>
  queryOptions({
    queryKey: ['outline', looked],
    queryFn: () => got(client.GET('/api/v1/compare/outline', { params: { query: looked } })),
    ...forever,
  });

export interface Page {
  path: string[];
  only: 'differences' | 'all';
  start?: number;
  around?: string;
}

export const level = (looked: Looked, { path, only, start, around }: Page) =>
  queryOptions({
    queryKey: ['level', looked, path, only, start, around],
    queryFn: () =>
      got(
        client.GET('/api/v1/compare/level', {
          params: { query: { ...looked, path: JSON.stringify(path), only, start, around } },
        }),
      ),
    ...forever,
  });

export const bench = (looked: Looked, path: string[]) =>
  queryOptions({
    queryKey: ['bench', termsOf(looked), path],
    queryFn: () =>
      got(
        client.GET('/api/v1/compare/object', {
          params: { query: { ...termsOf(looked), path: JSON.stringify(path) } },
        }),
      ),
    ...forever,
  });

/** All that differs in a branch, a page of objects after the other. */
export const branch = (looked: Looked, path: string[]) =>
  infiniteQueryOptions({
    queryKey: ['branch', looked, path],
    queryFn: ({ pageParam }: { pageParam: number }) =>
      got(
        client.GET('/api/v1/compare/branch', {
          params: { query: { ...looked, path: JSON.stringify(path), start: pageParam } },
        }),
      ),
    initialPageParam: 0,
    getNextPageParam: ({ start, rows, total }: BranchTable) =>
      start + rows.length < total && rows.length ? start + rows.length : undefined,
    ...forever,
  });

export const objectHistory = (looked: Looked, path: string[]) =>
  queryOptions({
    queryKey: ['history', termsOf(looked), path],
    queryFn: () =>
      got(
        client.GET('/api/v1/compare/history', {
          params: { query: { ...termsOf(looked), path: JSON.stringify(path) } },
        }),
      ),
  });

export interface Lines {
  path: string[];
  attribute: string;
  side: 'left' | 'right';
  start: number;
  count: number;
}

export async function askLines(looked: Looked, { path, ...asked }: Lines): Promise<string[]> {
  const found = await got(
    client.GET('/api/v1/compare/lines', {
      params: { query: { ...termsOf(looked), path: JSON.stringify(path), ...asked } },
    }),
  );
  return found.lines;
}

/** Where the next difference is, or the one before; null where there is none. */
export const neighbour = (looked: Looked, path: string[], way: 'next' | 'previous') =>
  queryOptions({
    queryKey: ['neighbour', looked, path, way],
    queryFn: async (): Promise<string[] | null> => {
      const query = { ...looked, path: JSON.stringify(path), way };
      const { paths } = await got(client.GET('/api/v1/compare/neighbours', { params: { query } }));
      // the answer goes some way further, so that who goes on in either direction asks nothing
      const back = way === 'next' ? 'previous' : 'next';
      for (let at = 0; at + 1 < paths.length; at++) {
        queryClient.setQueryData(['neighbour', looked, paths[at], way], paths[at + 1]);
        queryClient.setQueryData(['neighbour', looked, paths[at + 1], back], paths[at]);
      }
      return paths[0] ?? null;
    },
    ...forever,
  });

/** Changes that objects have in common: those that one shares, or those of a branch. */
export const inCommon = (looked: Looked, path: Path, beneath: boolean) =>
  queryOptions({
    queryKey: ['common', looked, path, beneath],
    queryFn: () => {
      const query = { ...looked, path: JSON.stringify(path) };
      return got(
        client.GET('/api/v1/compare/common', {
          params: { query: beneath ? { ...query, beneath: 'yes' as const } : query },
        }),
      );
    },
    ...forever,
  });

/** Where in a branch the objects are that have a change in common. */
export const commonPaths = (looked: Looked, number: number, branch: Path) =>
  queryOptions({
    queryKey: ['common paths', looked, number, branch],
    queryFn: () => {
      const query = { ...looked, number, path: JSON.stringify(branch) };
      return got(client.GET('/api/v1/compare/common/paths', { params: { query } }));
    },
    ...forever,
  });

/** Of how many objects each of some rules would hide something, before anybody uses it. */
export const hiddenBy = (looked: Looked, each: Partial<Rules>[]) =>
  queryOptions({
    queryKey: ['hidden by', looked, JSON.stringify(each)],
    queryFn: () =>
      got(
        client.GET('/api/v1/compare/hidden', {
          params: { query: { ...looked, each: JSON.stringify(each) } },
        }),
      ),
    ...forever,
  });

export function askShown(looked: Looked) {
  return got(client.GET('/api/v1/compare/shown', { params: { query: looked } }));
}

export function pasteList(text: string) {
  return got(client.POST('/api/v1/lists', { body: { text } }));
}

export const search = (text: string, system: number | undefined, only: 'present' | 'gone' | '') =>
  queryOptions({
    queryKey: ['search', text, system, only],
    queryFn: () =>
      got(
        client.GET('/api/v1/search', {
          params: { query: { text, system, ...(only ? { only } : {}) } },
        }),
      ),
    retry: false,
  });

export async function saveRules(system: number, rules: Rules): Promise<void> {
  await got(
    client.PUT('/api/v1/systems/{number}/rules', {
      params: { path: { number: system } },
      body: rules,
    }),
  );
  // every comparison of this system may tell something else now
  await queryClient.invalidateQueries();
}

/** The backup that most is restored from: the one looked at, unless all picks are of another. */
function sourceOf(looked: Looked, picks: PickedThing[]): number {
  const sources = new Set(picks.map((pick) => pick.backup));
  return sources.size === 1 ? [...sources][0]! : looked.left;
}

/** What becomes of what is there already: made as the backup has it, left, or only filled up. */
export type Policy = 'overwrite' | 'keep' | 'fill';

const asked = (
  looked: Looked,
  picks: PickedThing[],
  policy: Policy,
  chosen: Record<string, string> = {},
) => ({
  backup: sourceOf(looked, picks),
  look: looked.right,
  policy,
  picks,
  chosen,
  terms: {
    rules: looked.rules ? (JSON.parse(looked.rules) as Rules) : null,
    alike: looked.alike ?? null,
    accepted: looked.accepted ? (JSON.parse(looked.accepted) as string[][][]) : [],
    hangs: looked.hangs ? (JSON.parse(looked.hangs) as string[]) : null,
  },
});

export const tray = (looked: Looked, picks: PickedThing[], policy: Policy) =>
  queryOptions({
    queryKey: ['tray', termsOf(looked), JSON.stringify(picks), policy],
    queryFn: () => got(client.POST('/api/v1/tray', { body: asked(looked, picks, policy) })),
    ...forever,
  });

export function askPreview(
  looked: Looked,
  picks: PickedThing[],
  policy: Policy,
  chosen: Record<string, string>,
) {
  return got(client.POST('/api/v1/plans', { body: asked(looked, picks, policy, chosen) }));
}

/** Previews the same picks on a new look at live. */
export function askPreviewAgain(number: number, body: Again = { renamed: [], remember: false }) {
  return got(client.POST('/api/v1/plans/{number}/again', { params: { path: { number } }, body }));
}

/** What attributes of a system were called formerly, as somebody has said. */
export const formerNames = (system: number) =>
  queryOptions({
    queryKey: ['former-names', system],
    queryFn: () =>
      got(client.GET('/api/v1/systems/{number}/names', { params: { path: { number: system } } })),
  });

export function saveFormerNames(system: number, names: FormerName[]) {
  return got(
    client.PUT('/api/v1/systems/{number}/names', {
      params: { path: { number: system } },
      body: { names },
    }),
  );
}

export const places = (system: number) =>
  queryOptions({
    queryKey: ['places', system],
    queryFn: () =>
      got(client.GET('/api/v1/systems/{number}/places', { params: { path: { number: system } } })),
  });

export function askElsewhere(body: AskElsewhere) {
  return got(client.POST('/api/v1/plans/elsewhere', { body }));
}

export const plan = (number: number) =>
  queryOptions({
    queryKey: ['plan', number],
    queryFn: () => got(client.GET('/api/v1/plans/{number}', { params: { path: { number } } })),
  });

export async function askWork(
  system: number,
  kind: 'look' | 'backup',
  at: string[] = [],
  note = '',
  pinned = false,
): Promise<number> {
  const asked = await got(
    client.POST('/api/v1/systems/{number}/work', {
      params: { path: { number: system } },
      body: { kind, at, note, pinned },
    }),
  );
  await queryClient.invalidateQueries({ queryKey: systems().queryKey });
  return asked.id;
}

export const connectors = () =>
  queryOptions({
    queryKey: ['connectors'],
    queryFn: () => got(client.GET('/api/v1/connectors')),
    staleTime: Infinity,
  });

export const allSettings = () =>
  queryOptions({
    queryKey: ['settings'],
    queryFn: () => got(client.GET('/api/v1/settings')),
  });

export const tryConnection = (body: AskSettings, signal: AbortSignal) =>
  got(client.POST('/api/v1/connectors/try', { body, signal }));

/** Adds a system, or changes the one with this number; returns how it is reached now. */
export async function saveSettings(body: AskSettings, number?: number): Promise<Settings> {
  const saved = await got(
    number === undefined
      ? client.POST('/api/v1/settings', { body })
      : client.PUT('/api/v1/settings/{number}', { params: { path: { number } }, body }),
  );
  await queryClient.invalidateQueries();
  return saved;
}

export async function removeSystem(number: number): Promise<void> {
  await got(client.DELETE('/api/v1/settings/{number}', { params: { path: { number } } }));
  await queryClient.invalidateQueries();
}
