import { searchParams } from 'sv-router';
import type { Looked } from '$lib/api/comparing';
import type { Path } from './paths';

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
    accepted: text('accepted'),
    hangs: text('hangs'),
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

/** A move that was accepted: where the object is in the backup, and where it is taken to be live. */
export type AcceptedMove = [Path, Path];

export function acceptedMoves(): AcceptedMove[] {
  try {
    return JSON.parse(text('accepted') ?? '[]') as AcceptedMove[];
  } catch {
    return [];
  }
}

export function setAcceptedMoves(moves: AcceptedMove[]): void {
  setParameter('accepted', moves.length ? JSON.stringify(moves) : undefined);
}

/** Shows a text of an object over the whole width; it is part of the URL as what is chosen is. */
export function openText(path: Path, attribute: string): void {
  searchParams.set('at', JSON.stringify(path));
  searchParams.set('text', attribute);
}

/** The attribute whose text is shown over the whole width. */
export const textShown = (): string | undefined => text('text');

export const closeText = (): void => setParameter('text', undefined);
