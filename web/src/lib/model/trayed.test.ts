import { expect, test } from 'vitest';
import type { PickedThing } from './picks.svelte';
import { trayed } from './trayed';

const pick = (path: string[], ...names: string[]): PickedThing => ({
  path,
  scope: names.length ? 'attributes' : 'object',
  attributes: names.map((name) => ({ name, parts: [] })),
  without: [],
  backup: 1,
});

test('many picks of one attribute stand together, and nothing is lost or doubled', () => {
  const animals = ['a', 'b', 'c', 'd'].map((name) => pick([name], 'diet'));
  const others = [pick(['e'], 'diet', 'tank'), pick(['f'], 'tank'), pick(['g'])];
  const part = { ...pick(['h'], 'diet'), attributes: [{ name: 'diet', parts: ['one'] }] };
  const found = trayed([others[0]!, ...animals, ...others.slice(1), part]);
  expect(found.map((one) => one.things.map((t) => t.path[0]))).toEqual([
    ['e'],
    ['a', 'b', 'c', 'd'],
    ['f'],
    ['g'],
    ['h'],
  ]);
  expect(new Set(found.map((one) => one.key)).size).toBe(found.length);
});

test('a few, and those of another backup, stay apart', () => {
  const few = ['a', 'b', 'c'].map((name) => pick([name], 'diet'));
  const older = { ...pick(['d'], 'diet'), backup: 2 };
  expect(trayed([...few, older])).toHaveLength(4);
});
