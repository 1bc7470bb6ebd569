import { expect, test } from 'vitest';
import type { Finding } from '$lib/api/client';
import { sections } from './findings';

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
