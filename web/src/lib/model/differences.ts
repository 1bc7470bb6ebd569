/** The kinds of difference, told from the backup's point of view. */
export const STATES = ['changed', 'moved', 'recreated', 'missing', 'extra', 'unreadable'] as const;
export type State = (typeof STATES)[number];

export const MEANING: Record<State, string> = {
  changed: 'the same object with other values live',
  moved: 'the same object in another place live',
  recreated: 'another object in the same place live',
  missing: 'in the backup, not live',
  extra: 'live, not in the backup',
  unreadable: 'could not be read on one side',
};

/** What the two sides of a comparison are called; live is the right one where it has no date. */
export interface Sides {
  left: string;
  right: string;
}

/** What a difference means between two sides that are called so. */
export function meaning(state: State, { left, right }: Sides): string {
  if (right === 'live') return MEANING[state];
  return {
    changed: `the same object with other values in the ${right}`,
    moved: `the same object in another place in the ${right}`,
    recreated: `another object in the same place in the ${right}`,
    missing: `in the ${left}, not in the ${right}`,
    extra: `in the ${right}, not in the ${left}`,
    unreadable: MEANING.unreadable,
  }[state];
}

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
