import { infiniteQueryOptions, queryOptions } from '@tanstack/svelte-query';
import type { Path } from '$lib/model/paths';
import { queryClient } from './cache';
import { client, got, type BranchTable, type Rules } from './client';

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
export const forever = { staleTime: Infinity, gcTime: 10 * 60_000 };

/** Tells whether two keys ask for the same, but perhaps of another look at live. */
export const sameButForLook = (one: readonly unknown[], other: readonly unknown[]): boolean => {
  const withoutLook = (key: readonly unknown[]): string =>
    JSON.stringify(key, (name, value: unknown) => (name === 'right' ? undefined : value));
  return withoutLook(one) === withoutLook(other);
};

/**
 * Lets what an earlier look showed stand until the newest one is compared, so that nothing goes
 * from under a person's hands. For those who show live; two backups are another matter.
 */
export const untilCompared =
  (queryKey: readonly unknown[]) =>
  <T>(before: T | undefined, query?: { queryKey: readonly unknown[] }): T | undefined =>
    query && sameButForLook(query.queryKey, queryKey) ? before : undefined;

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
