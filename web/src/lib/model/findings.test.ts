import { describe, expect, test } from 'vitest';
import type { Finding, Plan } from '$lib/api/client';
import { saidOfRights, sections } from './findings';

const one = (
  name: string,
  level: Finding['level'],
  when?: 'with' | 'during' | 'after',
): Finding => ({
  name,
  level,
  code: name,
  text: '',
  path: [],
  written: '',
  attribute: '',
  kind: '',
  choices: [],
  effect: when ? { does: 'runs', what: name, when, steps: [] } : null,
  budget: null,
});

test('every finding stands in one section, what stops first', () => {
  const found = [
    one('hint', 'note'),
    one('fires', 'note', 'with'),
    one('sure?', 'confirm'),
    one('rests', 'confirm', 'during'),
    one('restarts', 'confirm', 'after'),
    one('no', 'stop'),
  ];
  const told = sections(found);
  const names = (some: Finding[]): string[] => some.map((f) => f.name);
  expect(names(told.first)).toEqual(['no', 'sure?']);
  expect(names(told.meanwhile)).toEqual(['rests', 'fires']);
  expect(names(told.after)).toEqual(['restarts']);
  expect(names(told.notes)).toEqual(['hint']);
});

describe('what is said of rights', () => {
  const plan = (may: number, not_told: number[], steps = ['reef', 'pump', 'lamp']): Plan =>
    ({
      system_name: 'Plant',
      rights: { may, not_told },
      steps: steps.map((name, at) => ({ number: at + 1, name })),
    }) as Plan;

  test('all is said only of all', () => {
    expect(saidOfRights(plan(3, []))).toBe('Plant says that the account may write all of this.');
    expect(saidOfRights(plan(2, []))).toBe('The account may write 2 steps of it, as Plant says.');
    expect(saidOfRights(plan(0, []))).toBe('');
  });

  test('what is not known is named once', () => {
    expect(saidOfRights(plan(1, [2, 3], ['reef', 'pump', 'pump']))).toBe(
      'The account may write 1 step of it, as Plant says. Plant does not say beforehand whether ' +
        'the account may write pump; that shows when it is written.',
    );
    expect(saidOfRights(plan(0, [1, 2, 3]))).toContain('may write any of it; that shows');
    expect(saidOfRights({ ...plan(0, []), rights: null })).toBe('');
  });
});
