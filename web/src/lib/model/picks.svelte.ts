// these sets live for one call
/* eslint-disable svelte/prefer-svelte-reactivity */
import type { Policy } from '$lib/api/queries';
import { isBeneath, keyOf, samePath, type Path } from './paths';

export interface PickedAttribute {
  name: string;
  /** What of it is picked: elements, hunks or values, by names made of their content. */
  parts: string[];
}

/** What stays as it is within a picked branch: an object with all beneath it, or it alone. */
export interface LeftOut {
  path: Path;
  alone: boolean;
}

export interface PickedThing {
  path: Path;
  scope: 'object' | 'branch' | 'attributes' | 'remove';
  attributes: PickedAttribute[];
  without: LeftOut[];
  /** The backup that it comes from. */
  backup: number;
  /** What becomes of it where it exists live, where that is another thing than for all. */
  policy?: Policy;
}

export type PickState = 'none' | 'some' | 'all';

const isLeftOut = (path: Path, { path: out, alone }: LeftOut): boolean =>
  alone ? samePath(path, out) : isBeneath(path, out);

const whole = (name: string): PickedAttribute => ({ name, parts: [] });
const isWhole = (part: PickedAttribute): boolean => !part.parts.length;

/** What was in the tray of each system before, so that another version does not forget it. */
const pasts = new Map<string, PickedThing[][]>();
const placeOf = (system: number): string => `picks:${system}`;

const runOf = (system: number): string => `run of picks:${system}`;

/** Notes which run carries out what is in the tray of a system now. */
export function trayIsCarriedOutBy(system: number, run: number): void {
  const picks = sessionStorage.getItem(placeOf(system)) ?? '';
  sessionStorage.setItem(runOf(system), JSON.stringify({ run, picks }));
}

/** Empties the tray of a system when the run of what is in it has done all of it. */
export function emptyTrayAfter(system: number, run: number): void {
  const noted = JSON.parse(sessionStorage.getItem(runOf(system)) ?? '{}') as {
    run?: number;
    picks?: string;
  };
  if (noted.run !== run) return;
  sessionStorage.removeItem(runOf(system));
  // what was picked since belongs to no run yet
  if (noted.picks !== (sessionStorage.getItem(placeOf(system)) ?? '')) return;
  sessionStorage.removeItem(placeOf(system));
  pasts.delete(placeOf(system));
}

/**
 * What is in the tray of a system. Picks are made from the backup that is looked at; those from
 * others stay. Every change can be taken back.
 */
export class Picks {
  things = $state<PickedThing[]>([]);
  private past = $state.raw<PickedThing[][]>([]);
  private readonly place: string;
  private readonly left: number;

  constructor(system: number, left: number) {
    this.place = placeOf(system);
    this.left = left;
    this.past = pasts.get(this.place) ?? [];
    const kept = sessionStorage.getItem(this.place);
    if (kept) this.things = JSON.parse(kept) as PickedThing[];
  }

  private set(things: PickedThing[]): void {
    this.keep(things, [...this.past, $state.snapshot(this.things) as PickedThing[]]);
  }

  private keep(things: PickedThing[], past: PickedThing[][]): void {
    this.things = things;
    this.past = past;
    pasts.set(this.place, past);
    sessionStorage.setItem(this.place, JSON.stringify(things));
  }

  /** Takes the last change back. */
  undo(): void {
    const before = this.past.at(-1);
    if (before) this.keep(before, this.past.slice(0, -1));
  }

  get canUndo(): boolean {
    return this.past.length > 0;
  }

  clear(): void {
    this.set([]);
  }

  drop(thing: PickedThing): void {
    this.set(this.things.filter((t) => t !== thing));
  }

  /** Says what becomes of one of them where it exists live; as for all where nothing is said. */
  setPolicy(thing: PickedThing, policy: Policy | undefined): void {
    this.set(this.things.map((t) => (t === thing ? { ...t, policy } : t)));
  }

  dropAll(things: PickedThing[]): void {
    this.set(this.things.filter((t) => !things.includes(t)));
  }

  private own(path: Path): PickedThing | undefined {
    return this.here().find((t) => t.scope !== 'branch' && samePath(t.path, path));
  }

  /** What is picked from the backup that is looked at. */
  private here(): PickedThing[] {
    return this.things.filter((t) => t.backup === this.left);
  }

  /** The picked branches that a path lies in, the nearest first, though it may be left out. */
  private branchesAround(path: Path): PickedThing[] {
    return this.here()
      .filter((t) => t.scope === 'branch' && isBeneath(path, t.path))
      .sort((a, b) => b.path.length - a.path.length);
  }

  /** The picked branch that brings what is at a path. */
  private branchOver(path: Path): PickedThing | undefined {
    return this.branchesAround(path).find((t) => !t.without.some((out) => isLeftOut(path, out)));
  }

  /** What is in the tray, with other things left out of one of its branches. */
  private with(branch: PickedThing, without: LeftOut[], things = this.things): PickedThing[] {
    return things.map((t) => (t === branch ? { ...t, without } : t));
  }

  /** How much of a row is picked. */
  stateOf(path: Path, state: string): PickState {
    if (state === 'extra') return this.own(path)?.scope === 'remove' ? 'all' : 'none';
    const over = this.branchOver(path);
    if (over) return over.without.some((out) => isBeneath(out.path, path)) ? 'some' : 'all';
    if (this.own(path)?.scope === 'object') return 'all';
    const touched = this.things.some((t) => isBeneath(t.path, path));
    return touched ? 'some' : 'none';
  }

  /**
   * Picks a row, or lets it go: an extra object is picked for removal, a branch with all in it.
   * What is let go within a picked branch is left out of it, and the rest stays picked.
   */
  toggleRow(path: Path, state: string, hasBeneath: boolean): void {
    if (this.stateOf(path, state) === 'all') {
      const over = this.branchOver(path);
      if (state !== 'extra' && over && !samePath(over.path, path))
        this.set(this.with(over, [...over.without, { path, alone: false }]));
      else this.set(this.things.filter((t) => !samePath(t.path, path)));
      return;
    }
    // what was picked by itself in a branch comes with it once that is picked
    const stays = (t: PickedThing): boolean =>
      t.scope === 'remove' || t.backup !== this.left || !isBeneath(t.path, path);
    const around = state === 'extra' ? undefined : this.branchesAround(path)[0];
    const without = around?.without.filter((out) => !isBeneath(out.path, path)) ?? [];
    if (around && !without.some((out) => isLeftOut(path, out))) {
      const things = this.things.filter((t) => t === around || stays(t));
      this.set(this.with(around, without, things));
      return;
    }
    const others = this.things.filter((t) => !samePath(t.path, path));
    const scope = state === 'extra' ? 'remove' : hasBeneath ? 'branch' : 'object';
    const kept = scope === 'branch' ? others.filter(stays) : others;
    this.set([...kept, this.thing(path, scope)]);
  }

  private thing(
    path: Path,
    scope: PickedThing['scope'],
    attributes: PickedAttribute[] = [],
  ): PickedThing {
    return { path, scope, attributes, without: [], backup: this.left };
  }

  private part(path: Path, name: string): PickedAttribute | undefined {
    return this.own(path)?.attributes.find((a) => a.name === name);
  }

  private covered(path: Path): boolean {
    return this.branchOver(path) !== undefined || this.own(path)?.scope === 'object';
  }

  attributeState(path: Path, name: string): PickState {
    if (this.covered(path)) return 'all';
    const part = this.part(path, name);
    if (!part) return 'none';
    return isWhole(part) ? 'all' : 'some';
  }

  /** Picks an attribute, or lets it go; `differing` are all that differ in the object. */
  toggleAttribute(path: Path, name: string, differing: string[]): void {
    const now = this.attributeState(path, name);
    const parts = this.partsOf(path, differing);
    if (now === 'all')
      this.setParts(
        path,
        parts.filter((p) => p.name !== name),
      );
    else this.setParts(path, [...parts.filter((p) => p.name !== name), whole(name)]);
  }

  partPicked(path: Path, name: string, part: string): boolean {
    const state = this.attributeState(path, name);
    return state === 'some' ? this.part(path, name)!.parts.includes(part) : state === 'all';
  }

  /**
   * Picks one part of an attribute, or lets it go; with it, those that make no sense without it.
   * `all` are the parts there are: with the last of them, the attribute is picked as a whole.
   */
  togglePart(
    path: Path,
    name: string,
    part: string,
    all: string[],
    differing: string[],
    along: string[] = [],
  ): void {
    const picked = this.partsOf(path, differing);
    const known = picked.find((p) => p.name === name);
    const parts = known ? (isWhole(known) ? all : known.parts) : [];
    const these = new Set([part, ...along]);
    const others = parts.filter((p) => !these.has(p));
    const now = parts.includes(part) ? others : [...others, ...these];
    const rest = picked.filter((p) => p.name !== name);
    if (!now.length) this.setParts(path, rest);
    else if (now.length === all.length) this.setParts(path, [...rest, whole(name)]);
    else this.setParts(path, [...rest, { name, parts: now }]);
  }

  /**
   * Adds what a suggestion says, a part or a whole attribute, to what is picked of an object.
   * Nothing that is picked already goes.
   */
  add(path: Path, name: string, part = ''): void {
    if (this.covered(path)) return;
    const picked = this.partsOf(path, []);
    const known = picked.find((p) => p.name === name);
    if (known && isWhole(known)) return;
    const rest = picked.filter((p) => p.name !== name);
    if (!part) return this.setParts(path, [...rest, whole(name)]);
    const parts = [...new Set([...(known?.parts ?? []), part])];
    this.setParts(path, [...rest, { name, parts }]);
  }

  /** Picks many objects at once, each as a whole; what is extra is picked to be removed. */
  addAll(rows: { path: Path; state: string }[]): void {
    const wanted = rows.filter((row) => this.stateOf(row.path, row.state) !== 'all');
    const paths = new Set(wanted.map((row) => keyOf(row.path)));
    const kept = this.things.filter((t) => !paths.has(keyOf(t.path)));
    const added = wanted.map((row) =>
      this.thing(row.path, row.state === 'extra' ? 'remove' : 'object'),
    );
    if (added.length) this.set([...kept, ...added]);
  }

  /** Picks one attribute as a whole in many objects; what is picked of them already stays. */
  addAttribute(paths: Path[], name: string): void {
    const added = paths.filter((path) => this.attributeState(path, name) !== 'all');
    if (!added.length) return;
    const keys = new Set(added.map(keyOf));
    const own = new Map(added.map((path) => [keyOf(path), this.partsOf(path, [])]));
    const kept = this.things.filter(
      (t) => t.backup !== this.left || t.scope === 'branch' || !keys.has(keyOf(t.path)),
    );
    const things = added.map((path) =>
      this.thing(path, 'attributes', [
        ...own.get(keyOf(path))!.filter((part) => part.name !== name),
        whole(name),
      ]),
    );
    this.set([...kept, ...things]);
  }

  /** Whether an attribute is picked by itself, and not with the object or branch it is in. */
  hasAttribute(path: Path, name: string): boolean {
    const part = this.part(path, name);
    return part !== undefined && isWhole(part);
  }

  /** Lets one attribute go that was picked in many objects. */
  dropAttribute(paths: Path[], name: string): void {
    const keys = new Set(paths.map(keyOf));
    const things = this.things.flatMap((t) => {
      if (t.backup !== this.left || t.scope !== 'attributes' || !keys.has(keyOf(t.path)))
        return [t];
      const attributes = t.attributes.filter((part) => part.name !== name);
      return attributes.length ? [{ ...t, attributes }] : [];
    });
    this.set(things);
  }

  private partsOf(path: Path, differing: string[]): PickedAttribute[] {
    return this.covered(path) ? differing.map(whole) : [...(this.own(path)?.attributes ?? [])];
  }

  private setParts(path: Path, attributes: PickedAttribute[]): void {
    const over = this.branchOver(path);
    const names = new Set(attributes.map((a) => a.name));
    const things = over ? this.with(over, [...over.without, { path, alone: true }]) : this.things;
    const others = things.flatMap((t) =>
      t.scope !== 'branch' && samePath(t.path, path) ? this.leftOf(t, names) : [t],
    );
    const own = attributes.length ? [this.thing(path, 'attributes', attributes)] : [];
    this.set([...others, ...own]);
  }

  /** What stays of a pick where attributes are picked in the same place now. */
  private leftOf(thing: PickedThing, names: Set<string>): PickedThing[] {
    if (thing.backup === this.left) return [];
    if (thing.scope !== 'attributes') return names.size ? [] : [thing];
    const attributes = thing.attributes.filter((a) => !names.has(a.name));
    return attributes.length ? [{ ...thing, attributes }] : [];
  }
}
