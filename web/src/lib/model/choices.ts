import { searchParams } from 'sv-router';
import type { System } from '$lib/api/client';
import type { Policy } from '$lib/api/queries';

/** What may become of what is there already, as people say it. */
export const POLICIES: [Policy, string][] = [
  ['overwrite', 'is made as the backup has it'],
  ['keep', 'stays as it is'],
  ['fill', 'gets only what it lacks'],
];

export const policyChosen = (): Policy =>
  POLICIES.find(([name]) => name === searchParams.get('policy'))?.[0] ?? 'overwrite';

/** Whether it is said for each thing picked, too. */
export const policyForEach = (): boolean => searchParams.get('each') !== null;

/** What of the connector's options is chosen for a restore to a system; all of it in the URL. */
export function choicesMade(system: System): Record<string, string> {
  const made = system.choices.map(
    ({ name }) => [name, searchParams.get(name)?.toString()] as const,
  );
  return Object.fromEntries(made.filter((one): one is [string, string] => one[1] !== undefined));
}
