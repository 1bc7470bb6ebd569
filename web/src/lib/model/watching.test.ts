import { expect, test } from 'vitest';
import type { Ranked, System } from '$lib/api/client';
import { byTag, inOrder, isMeant } from './watching';

const system = (id: number, name: string, ...tags: string[]): System =>
  ({ id, name, tags, connector_label: 'directory' }) as System;
const wants = (id: number | null, aside = false): Ranked =>
  ({ item: { system: id, aside: aside ? {} : null } }) as Ranked;

const people = system(1, 'People', 'staff');
const chillers = system(2, 'Chillers', 'plant', 'north');
const tags = system(3, 'Gateway', 'plant');

test('each word is looked for in name, kind and tags', () => {
  expect(isMeant(chillers, 'plant chil')).toBe(true);
  expect(isMeant(chillers, 'DIRECT')).toBe(true);
  expect(isMeant(chillers, 'plant staff')).toBe(false);
  expect(isMeant(people, '')).toBe(true);
});

test('by urgency, whoever wants something most comes first; what is aside does not count', () => {
  const ranked = [wants(null), wants(2, true), wants(3), wants(1), wants(3)];
  const order = inOrder([people, chillers, tags], 'urgency', ranked);
  expect(order.map((one) => one.id)).toEqual([3, 1, 2]);
  expect(inOrder([people, chillers], 'name', []).map((one) => one.name)).toEqual([
    'Chillers',
    'People',
  ]);
});

test('a system stands beneath each of its tags, and one without beneath none', () => {
  const groups = byTag([people, chillers, tags, system(4, 'Lamps')]);
  expect(groups.map((one) => [one.tag, one.systems.map((s) => s.id)])).toEqual([
    ['north', [2]],
    ['plant', [2, 3]],
    ['staff', [1]],
    ['', [4]],
  ]);
});
