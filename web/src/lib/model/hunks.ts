import type { Attribute, Stretch } from '$lib/api/client';

/**
 * The hunks that are picked together with one: those between which an element moved, since one
 * alone would double or lose it.
 */
export function along({ moves, stretches }: Attribute, part: string): string[] {
  const holds = (s: Stretch, side: 'left' | 'right', at: number): boolean =>
    at >= s[`${side}_start`] && at < s[`${side}_start`] + s[`${side}_size`];
  const found = new Set([part]);
  let grown = true;
  while (grown) {
    grown = false;
    for (const { left, right } of moves) {
      const pair = stretches.filter(
        (s) => s.number && (holds(s, 'left', left) || holds(s, 'right', right)),
      );
      if (pair.some((s) => found.has(s.part)))
        for (const s of pair)
          if (!found.has(s.part)) {
            found.add(s.part);
            grown = true;
          }
    }
  }
  return [...found];
}
