import type { Policy } from '$lib/api/client';

/** The rules of a policy by time: each with what it counts. */
export const SPANS = [
  ['daily', 'day'],
  ['weekly', 'week'],
  ['monthly', 'month'],
  ['yearly', 'year'],
] as const;

/** "the last 10 good, one a day for 30 days, the last 5 with problems". */
export function asWords(policy: Policy): string {
  const parts: string[] = [];
  if (policy.good != null) parts.push(`the last ${policy.good} good`);
  for (const [rule, name] of SPANS) {
    const wanted = policy[rule];
    if (wanted) parts.push(`one a ${name} for ${wanted} ${name}${wanted === 1 ? '' : 's'}`);
  }
  if (policy.problems != null) parts.push(`the last ${policy.problems} with problems`);
  else if (parts.length) parts.push('all with problems');
  return parts.length ? parts.join(', ') : 'for ever: no rule says how long';
}
