import { describe, expect, it } from 'vitest';
import { inWords } from './differences';
import { isBeneath, placeOf, plainName, samePath } from './paths';
import { ago, bytes } from './time';

describe('paths', () => {
  it('show names as people say them', () => {
    expect(plainName('cn=Imke Farrow')).toBe('Imke Farrow');
    expect(plainName('cn=Réef\\, Guard')).toBe('Réef, Guard');
    expect(plainName('a=b=c')).toBe('b=c');
    expect(plainName('setpoint')).toBe('setpoint');
    expect(placeOf(['ou=divers', 'cn=Ansel'])).toBe('divers');
  });

  it('know what is beneath what', () => {
    expect(isBeneath(['a', 'b'], ['a'])).toBe(true);
    expect(isBeneath(['a'], ['a', 'b'])).toBe(false);
    expect(samePath(['a'], ['a', 'b'])).toBe(false);
    expect(isBeneath(['ab'], ['a'])).toBe(false);
  });
});

describe('words', () => {
  it('tell differences in one order', () => {
    expect(inWords({ extra: 1, changed: 2 })).toBe('2 changed, 1 extra');
  });

  it('tell times and sizes', () => {
    const now = new Date('2026-11-24T12:00:00').getTime();
    expect(ago('2026-11-24T11:57:00', now)).toBe('3 min ago');
    expect(ago('2026-11-23T02:00:00', now)).toBe('yesterday 02:00');
    expect(ago('2026-11-02T02:00:00', now)).toMatch(/^Mon,? 2 Nov, 02:00$/);
    expect(bytes(231)).toBe('231 B');
    expect(bytes(33_800)).toBe('33 KiB');
  });
});
