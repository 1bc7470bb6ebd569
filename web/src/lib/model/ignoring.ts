import type { Rules } from '$lib/api/client';

/** What a difference is of, for a rule that ignores it. */
export interface Ignorable {
  attribute: string;
  label: string;
  kind: string;
  kindLabel: string;
  /** The pattern of the place; empty where several are meant. */
  pattern: string;
}

/** Each of some rules by itself, as people write it. */
export function oneByOne(rules: Rules): { words: string; rules: Partial<Rules> }[] {
  return [
    ...(rules.letter_case ? [{ words: 'letter case', rules: { letter_case: true } }] : []),
    ...(rules.order ? [{ words: 'order in sequences', rules: { order: true } }] : []),
    ...(rules.blank_lines ? [{ words: 'blank lines', rules: { blank_lines: true } }] : []),
    ...(rules.space ? [{ words: 'white space', rules: { space: rules.space } }] : []),
    ...(rules.comments ?? []).map((one) => ({ words: one, rules: { comments: [one] } })),
    ...(rules.attributes ?? []).map((one) => ({ words: one, rules: { attributes: [one] } })),
    ...(rules.paths ?? []).map((one) => ({ words: one, rules: { paths: [one] } })),
  ];
}
