import { expect, test } from 'vitest';
import type { Attribute, Stretch } from '$lib/api/client';
import { along } from './hunks';

const hunk = (number: number, left: [number, number], right: [number, number]): Stretch =>
  ({
    number,
    part: `hunk ${number}`,
    left_start: left[0],
    left_size: left[1],
    right_start: right[0],
    right_size: right[1],
  }) as Stretch;

test('hunks between which an element moved are picked together, and no others', () => {
  const attribute = {
    stretches: [hunk(1, [0, 1], [0, 0]), hunk(2, [4, 0], [3, 1]), hunk(3, [8, 1], [8, 1])],
    moves: [{ left: 0, right: 3 }],
  } as Attribute;
  expect(along(attribute, 'hunk 1')).toEqual(['hunk 1', 'hunk 2']);
  expect(along(attribute, 'hunk 2').sort()).toEqual(['hunk 1', 'hunk 2']);
  expect(along(attribute, 'hunk 3')).toEqual(['hunk 3']);
});
