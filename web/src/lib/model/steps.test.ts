import { describe, expect, it } from 'vitest';
import { referenceOf, whereOf } from './steps';

describe('steps', () => {
  it('never tell a move or a rename as from a thing to itself', () => {
    const step = (path: string[], to: string[] | null) => whereOf({ path, to });
    expect(step(['ou=visitors', 'cn=Ansel'], ['ou=divers', 'cn=Ansel'])).toBe('visitors → divers');
    expect(step(['pump'], ['pump-2'])).toBe('pump → pump-2');
    expect(step(['ou=service'], ['cn=service'])).toBe('ou=service → cn=service');
    expect(step(['ou=divers', 'cn=Ansel'], null)).toBe('divers');
  });

  it('tell a reference by its place where its name stands on both sides', () => {
    const here = ['ou=divers', 'cn=Ansel Brandvold'];
    const there = ['ou=visitors', 'cn=Ansel Brandvold'];
    expect(referenceOf(here, [there])).toBe('divers / Ansel Brandvold');
    expect(referenceOf(there, [here])).toBe('visitors / Ansel Brandvold');
    expect(referenceOf(here, [['ou=divers', 'cn=Imke Farrow'], null])).toBe('Ansel Brandvold');
  });
});
