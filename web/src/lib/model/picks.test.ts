import { beforeEach, describe, expect, it, vi } from 'vitest';
import { emptyTrayAfter, Picks, trayIsCarriedOutBy } from './picks.svelte';

const IMKE = ['ou=volunteers', 'cn=Imke'];
const ANSEL = ['ou=divers', 'cn=Ansel'];
let kept: Record<string, string> = {};

beforeEach(() => {
  kept = {};
  vi.stubGlobal('sessionStorage', {
    getItem: (key: string) => kept[key] ?? null,
    setItem: (key: string, value: string) => (kept[key] = value),
    removeItem: (key: string) => delete kept[key],
  });
});

describe('picks', () => {
  it('take a branch with all in it, but never what is extra', () => {
    const picks = new Picks(1, 2);
    picks.toggleRow(ANSEL, 'changed', false);
    picks.toggleRow(['ou=divers'], 'same', true);
    expect(picks.things.map((t) => t.scope)).toEqual(['branch']);
    expect(picks.stateOf(ANSEL, 'changed')).toBe('all');
    expect(picks.stateOf(['ou=divers', 'cn=Stranger'], 'extra')).toBe('none');
    expect(picks.stateOf([], 'same')).toBe('some');
  });

  it('pick removal of what is extra apart', () => {
    const picks = new Picks(1, 2);
    picks.toggleRow(['cn=tmp'], 'extra', false);
    expect(picks.things[0]!.scope).toBe('remove');
  });

  it('take one attribute of many objects, and let it go again', () => {
    const picks = new Picks(1, 2);
    picks.toggleAttribute(ANSEL, 'phone', ['title', 'phone']);
    picks.toggleRow(IMKE, 'changed', false);
    const all = [ANSEL, IMKE, ['cn=Tobin']];
    picks.addAttribute(all, 'title');
    expect(picks.things.map((t) => [t.scope, t.attributes.map((a) => a.name)])).toEqual([
      ['object', []],
      ['attributes', ['phone', 'title']],
      ['attributes', ['title']],
    ]);
    picks.dropAttribute(all, 'title');
    expect(picks.things.map((t) => [t.scope, t.attributes.map((a) => a.name)])).toEqual([
      ['object', []],
      ['attributes', ['phone']],
    ]);
    picks.undo();
    expect(picks.hasAttribute(['cn=Tobin'], 'title')).toBe(true);
  });

  it('break an object up when one attribute is let go', () => {
    const picks = new Picks(1, 2);
    picks.toggleRow(ANSEL, 'changed', false);
    picks.toggleAttribute(ANSEL, 'title', ['title', 'phone']);
    expect(picks.things[0]!.attributes.map((a) => a.name)).toEqual(['phone']);
    expect(picks.attributeState(ANSEL, 'title')).toBe('none');
    expect(picks.stateOf(ANSEL, 'changed')).toBe('some');
  });

  it('pick elements and hunks one by one, and the whole when all are picked', () => {
    const picks = new Picks(1, 2);
    const all = ['a', 'b', 'c'];
    picks.togglePart(ANSEL, 'member', 'a', all, ['member']);
    expect(picks.partPicked(ANSEL, 'member', 'a')).toBe(true);
    expect(picks.partPicked(ANSEL, 'member', 'b')).toBe(false);
    picks.togglePart(ANSEL, 'member', 'b', all, ['member'], ['b', 'c']);
    expect(picks.attributeState(ANSEL, 'member')).toBe('all');
    picks.togglePart(ANSEL, 'notes', 'two', ['one', 'two'], ['member', 'notes']);
    expect(picks.partPicked(ANSEL, 'notes', 'two')).toBe(true);
    expect(picks.partPicked(ANSEL, 'notes', 'one')).toBe(false);
    picks.togglePart(ANSEL, 'notes', 'two', ['one', 'two'], ['member', 'notes']);
    expect(picks.attributeState(ANSEL, 'notes')).toBe('none');
  });

  it('can be taken back, and outlive a reload', () => {
    const picks = new Picks(1, 2);
    picks.toggleRow(IMKE, 'missing', false);
    expect(new Picks(1, 2).things).toHaveLength(1);
    expect(new Picks(2, 2).things).toHaveLength(0);
    picks.undo();
    expect(picks.things).toHaveLength(0);
    expect(new Picks(1, 2).things).toHaveLength(0);
  });

  it('of another version stay, and only the same attribute makes way', () => {
    const older = new Picks(3, 10);
    older.toggleRow(IMKE, 'missing', false);
    older.toggleAttribute(ANSEL, 'title', ['title', 'phone']);
    older.toggleAttribute(ANSEL, 'phone', ['title', 'phone']);
    const newer = new Picks(3, 20);
    expect(newer.stateOf(IMKE, 'missing')).toBe('some');
    expect(newer.attributeState(ANSEL, 'phone')).toBe('none');
    newer.toggleAttribute(ANSEL, 'phone', ['title', 'phone']);
    const told = newer.things.map((t) => [t.backup, t.path, t.attributes.map((a) => a.name)]);
    expect(told).toEqual([
      [10, IMKE, []],
      [10, ANSEL, ['title']],
      [20, ANSEL, ['phone']],
    ]);
    newer.undo();
    newer.undo();
    expect(newer.things[1]!.attributes.map((a) => a.name)).toEqual(['title']);
    newer.toggleRow(IMKE, 'missing', false);
    expect(newer.things.filter((t) => t.path === IMKE).map((t) => t.backup)).toEqual([20]);
    trayIsCarriedOutBy(3, 7);
    emptyTrayAfter(3, 6);
    expect(new Picks(3, 20).things).not.toEqual([]);
    emptyTrayAfter(3, 7);
    expect(new Picks(3, 20).things).toEqual([]);
  });

  it('stay in the tray when others were picked since their run began', () => {
    const picks = new Picks(4, 2);
    picks.toggleRow(ANSEL, 'changed', false);
    trayIsCarriedOutBy(4, 9);
    picks.toggleRow(IMKE, 'missing', false);
    emptyTrayAfter(4, 9);
    expect(new Picks(4, 2).things).toHaveLength(2);
  });

  it('get what a suggestion says, and lose nothing by it', () => {
    const picks = new Picks(5, 2);
    picks.togglePart(ANSEL, 'member', 'a', ['a', 'b', 'c'], ['member', 'title']);
    picks.toggleAttribute(ANSEL, 'title', ['member', 'title']);
    picks.add(ANSEL, 'member', 'b');
    picks.add(ANSEL, 'member', 'b');
    picks.add(ANSEL, 'mail');
    picks.add(ANSEL, 'title', 'x');
    const own = picks.things[0]!.attributes.map((a) => [a.name, ...a.parts].join(' '));
    expect(own.sort()).toEqual(['mail', 'member a b', 'title']);
    picks.toggleRow(IMKE, 'missing', false);
    picks.add(IMKE, 'mail');
    expect(picks.things.find((t) => t.path === IMKE)!.scope).toBe('object');
  });

  it('leave out of a branch what is let go in it, and nothing else', () => {
    const picks = new Picks(1, 2);
    const divers = ['ou=divers'];
    const [deep, deeper] = [
      ['ou=divers', 'ou=deep'],
      ['ou=divers', 'ou=deep', 'cn=Imke'],
    ] as const;
    picks.toggleRow(divers, 'same', true);
    picks.toggleRow(ANSEL, 'changed', false);
    expect(picks.things.map((t) => [t.scope, t.without])).toEqual([
      ['branch', [{ path: ANSEL, alone: false }]],
    ]);
    expect([ANSEL, divers, [...deep]].map((path) => picks.stateOf(path, 'changed'))).toEqual([
      'none',
      'some',
      'all',
    ]);
    // one attribute of what is picked with the branch: the object is left out, not what it holds
    picks.toggleAttribute([...deep], 'title', ['title', 'phone']);
    expect(picks.attributeState([...deep], 'title')).toBe('none');
    expect(picks.attributeState([...deep], 'phone')).toBe('all');
    expect(picks.stateOf([...deeper], 'missing')).toBe('all');
    // picked again, all of it comes with the branch
    picks.toggleRow([...deep], 'changed', true);
    picks.toggleRow(ANSEL, 'changed', false);
    expect(picks.things.map((t) => [t.scope, t.without])).toEqual([['branch', []]]);
    // what lies in something left out can be picked by itself
    picks.toggleRow([...deep], 'changed', true);
    picks.toggleRow([...deeper], 'missing', false);
    expect(picks.things.map((t) => t.scope)).toEqual(['branch', 'object']);
    picks.toggleRow([...deeper], 'missing', false);
    expect(picks.things.map((t) => t.scope)).toEqual(['branch']);
    expect(picks.stateOf([...deeper], 'missing')).toBe('none');
    for (let n = 0; n < 7; n++) picks.undo();
    expect(picks.things.map((t) => [t.scope, t.without])).toEqual([['branch', []]]);
  });

  it('say the same after any changes, taken back in turn', () => {
    const picks = new Picks(9, 2);
    const paths = [[], ['a'], ['a', 'x'], ['a', 'x', '1'], ['a', 'y'], ['b']];
    const shown = () => JSON.stringify(picks.things);
    let seed = 7;
    const pick = (count: number): number => (seed = (seed * 48271) % 2147483647) % count;
    const before: string[] = [];
    for (let n = 0; n < 400; n++) {
      const path = paths[pick(paths.length)]!;
      const was = shown();
      const known = picks.stateOf(path, 'changed');
      if (pick(3)) picks.toggleRow(path, 'changed', path.length < 3);
      else picks.toggleAttribute(path, 'title', ['title', 'phone']);
      if (shown() !== was) before.push(was);
      if (known === 'all') expect(picks.stateOf(path, 'changed')).not.toBe('all');
      for (const one of paths) {
        // a row is picked whole exactly if all that is in it is
        const within = paths.filter((p) => one.every((name, at) => p[at] === name));
        if (picks.stateOf(one, 'changed') === 'all' && one.length < 3)
          for (const inner of within) expect(picks.stateOf(inner, 'changed')).not.toBe('none');
      }
      expect(JSON.stringify(new Picks(9, 2).things)).toBe(shown());
    }
    while (before.length) {
      picks.undo();
      expect(shown()).toBe(before.pop());
    }
  });
});
