import { ago } from './time';

/** The kinds of difference, told from the backup's point of view. */
export const STATES = ['changed', 'moved', 'recreated', 'missing', 'extra', 'unreadable'] as const;
export type State = (typeof STATES)[number];

/** What the two sides of a comparison are called; live is the right one where it has no date. */
export interface Sides {
  left: string;
  right: string;
}

/** What one of two records that are compared is called. */
export function nameOf(
  record: { taken_at: string; file: string } | undefined,
  otherwise: string,
): string {
  if (!record) return otherwise;
  return record.file ? `file ${record.file}` : `backup of ${ago(record.taken_at)}`;
}

/** What the left side is called where only its sort matters. */
export const shortName = (left: string): string => (left.startsWith('file ') ? 'file' : 'backup');

/** What a difference means between two sides that are called so. */
export function meaning(state: State, { left, right }: Sides): string {
  const toLive = right === 'live';
  const there = toLive ? 'live' : `in the ${right}`;
  const here = toLive ? `the ${shortName(left)}` : `the ${left}`;
  return {
    changed: `the same object with other values ${there}`,
    moved: `the same object in another place ${there}`,
    recreated: `another object in the same place ${there}`,
    missing: `in ${here}, not ${there}`,
    extra: `${there}, not in ${here}`,
    unreadable: 'could not be read on one side',
  }[state];
}

export const MEANING = Object.fromEntries(
  STATES.map((state) => [state, meaning(state, { left: 'backup', right: 'live' })]),
) as Record<State, string>;

/** Whether an object itself does not differ, as far as anything is known of it. */
export const isQuiet = (state: string): boolean => state === 'same' || state === 'outside';

/** How many objects at and beneath a place are put back when it is picked with all in it. */
export function putBack(tally: Record<string, number>): number {
  return total(tally) - (tally.extra ?? 0) - (tally.unreadable ?? 0);
}

interface Counted {
  state: string;
  tally: Record<string, number>;
}

/** How many objects beneath a place differ, itself left aside. */
export const differingBeneath = ({ state, tally }: Counted): number =>
  total(tally) - (isQuiet(state) ? 0 : 1);

/** Whether a place can be picked: to be taken away, or for something in it that can go back. */
export const isPickable = ({ state, tally }: Counted): boolean =>
  state === 'extra' || putBack(tally) > 0;

export function total(tally: Record<string, number>): number {
  return Object.values(tally).reduce((sum, count) => sum + count, 0);
}

export function count(number: number, one: string, many = `${one}s`): string {
  return `${number.toLocaleString('en')} ${number === 1 ? one : many}`;
}

/** "2 are missing, 1 is extra", in the fixed order of the states. */
export function inWords(tally: Record<string, number>): string {
  const parts = STATES.filter((state) => tally[state]).map((state) => `${tally[state]} ${state}`);
  return parts.join(', ');
}
