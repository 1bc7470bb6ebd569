import { searchParams } from 'sv-router';
import type { Looked } from '$lib/api/queries';

/** What of a view is kept in the URL beside the two records, the path and the switch of the tree. */
export const FILTERS = ['states', 'kinds', 'attributes', 'name', 'since', 'listed'] as const;
export type FilterName = (typeof FILTERS)[number];

const text = (name: string): string | undefined => searchParams.get(name)?.toString() || undefined;
const number = (name: string): number | undefined => {
  const found = Number(text(name));
  return Number.isFinite(found) && found > 0 ? found : undefined;
};

/** Reads from the URL how two records are looked at. */
export function lookedAt(left: number, right: number): Looked {
  const all: Looked = {
    left,
    right,
    rules: text('rules'),
    alike: number('alike'),
    apart: text('apart'),
    states: text('states'),
    kinds: text('kinds'),
    attributes: text('attributes'),
    name: text('name'),
    since: number('since'),
    listed: number('listed'),
  };
  return Object.fromEntries(
    Object.entries(all).filter(([, value]) => value !== undefined),
  ) as unknown as Looked;
}

export function setParameter(name: string, value: string | number | undefined): void {
  if (value === undefined || value === '') searchParams.delete(name);
  else searchParams.set(name, String(value));
}

/** A parameter that lists paths. */
export function pathsIn(name: 'apart' | 'taken'): string[][] {
  try {
    return JSON.parse(text(name) ?? '[]') as string[][];
  } catch {
    return [];
  }
}

export function setPaths(name: 'apart' | 'taken', paths: string[][]): void {
  setParameter(name, paths.length ? JSON.stringify(paths) : undefined);
}
