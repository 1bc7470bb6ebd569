import type { Finding, Plan } from '$lib/api/client';
import { count } from './differences';
import { plainName } from './paths';

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

const NAMED = 4;

/** What the system says beforehand of what the account may write; empty where nothing. */
export function saidOfRights({ rights, steps, system_name: on }: Plan): string {
  if (!rights || !steps.length) return '';
  if (rights.may === steps.length) return `${on} says that the account may write all of this.`;
  const some = rights.may
    ? `The account may write ${count(rights.may, 'step')} of it, as ${on} says.`
    : '';
  const open = new Set(rights.not_told);
  const names = [
    ...new Set(steps.filter((one) => open.has(one.number)).map((one) => plainName(one.name))),
  ];
  if (!names.length) return some;
  const more = names.length > NAMED ? ` and ${names.length - NAMED} more` : '';
  const which = open.size === steps.length ? 'any of it' : names.slice(0, NAMED).join(', ') + more;
  const rest = `${on} does not say beforehand whether the account may write ${which}; that shows when it is written.`;
  return some ? `${some} ${rest}` : rest;
}
