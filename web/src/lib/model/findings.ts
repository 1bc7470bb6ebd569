import type { Finding } from '$lib/api/client';

const ORDER = ['stop', 'ask', 'confirm', 'note'];

/** What a plan must tell, by what it is to a person. */
export interface Sections {
  /** What stops the plan, or wants an answer. */
  first: Finding[];
  /** What happens to the system beside what is written, while it is and at the end. */
  meanwhile: Finding[];
  after: Finding[];
  notes: Finding[];
}

export function sections(findings: Finding[]): Sections {
  const sorted = [...findings].sort((a, b) => ORDER.indexOf(a.level) - ORDER.indexOf(b.level));
  const still = sorted.filter((one) => !one.effect);
  return {
    first: still.filter((one) => one.level !== 'note'),
    meanwhile: sorted.filter((one) => one.effect && one.effect.when !== 'after'),
    after: sorted.filter((one) => one.effect?.when === 'after'),
    notes: still.filter((one) => one.level === 'note'),
  };
}
