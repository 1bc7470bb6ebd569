// what is drawn depends on `version`; the collections themselves are never shown
/* eslint-disable svelte/prefer-svelte-reactivity */
import type { Row } from '$lib/api/client';
import { queryClient } from '$lib/api/cache';
import { level, outline, sameButForLook, type Looked } from '$lib/api/comparing';
import { keyOf, type Path } from './paths';

/** A line of the tree as it is drawn: a row, or a place where a row is still to be fetched. */
export type Line = { row: Row; open: boolean } | { path: Path; number: number; depth: number };

/** What is known of the children of one row: how many there are, and those fetched so far. */
interface Branch {
  path: Path;
  depth: number;
  total: number;
  rows: Map<number, Row>;
}

/** An open branch as it is drawn: its open rows in order, each with the lines it takes itself. */
interface Drawn {
  branch: Branch;
  inner: { number: number; row: Row; lines: number }[];
  lines: number;
}

/**
 * The merged tree: what is open, and the rows fetched so far.
 *
 * Lines are not made until they are drawn. A branch knows how many lines it takes from how many
 * children it has and which of them are open, so a level of 100,000 costs no more than one of ten.
 */
export class Tree {
  /** So many rows the server tells at once. */
  private page = 1;
  private branches = new Map<string, Branch>();
  private open = new Set<string>();
  private byHand = new Map<string, Path>();
  private asked = new Map<string, Promise<void>>();
  private version = $state(0);
  /** Nothing is drawn before all that is first shown is there: no row moves under a pointer. */
  private begun = $state(false);
  /** Rows by their path, to find where a row is in its level. */
  private places = new Map<string, number>();
  top = $state.raw<Row>();

  constructor(
    private readonly looked: Looked,
    private readonly only: 'differences' | 'all',
  ) {}

  /**
   * Fetches the tree, folded down to the differences; `then` reveals what is to be shown first.
   * What was `opened` before is opened again, where it is still there.
   */
  async begin(then?: () => Promise<void>, opened: Path[] = []): Promise<void> {
    try {
      const found = await queryClient.fetchQuery(outline(this.looked));
      this.page = found.page;
      this.top = found.rows[0];
      if (!this.top) return;
      if (this.only === 'all') await this.show(this.top.path);
      else this.unfold(found.rows);
      const gone = (): void => undefined;
      await Promise.all(opened.map((path) => this.show(path).catch(gone)));
      await then?.();
    } finally {
      this.begun = true;
    }
  }

  private unfold(rows: Row[]): void {
    const parents: Row[] = [];
    for (const row of rows) {
      parents.length = row.depth;
      const parent = parents[row.depth - 1];
      if (parent) {
        const branch = this.branch(parent.path, row.depth);
        this.put(branch, branch.total, row);
        branch.total += 1;
      }
      if (row.opened) this.open.add(keyOf(row.path));
      parents.push(row);
    }
    this.version += 1;
  }

  private branch(path: Path, depth: number): Branch {
    const key = keyOf(path);
    let found = this.branches.get(key);
    if (!found) {
      found = { path, depth, total: 0, rows: new Map() };
      this.branches.set(key, found);
    }
    return found;
  }

  private put(branch: Branch, number: number, row: Row): void {
    branch.rows.set(number, row);
    const key = keyOf(row.path);
    // where one object took another's place, the row of the backup's object is the one shown
    if (!this.places.has(key) || row.state !== 'extra') this.places.set(key, number);
  }

  /** Tells whether another tree shows the same, at most of a later look. */
  showsSameAs(other: Tree): boolean {
    return sameButForLook([this.looked, this.only], [other.looked, other.only]);
  }

  /** Lists what somebody has opened: what is open because something differs in it is found anew. */
  opened(): Path[] {
    return [...this.byHand.values()];
  }

  isOpen(path: Path): boolean {
    return this.open.has(keyOf(path));
  }

  async show(path: Path): Promise<void> {
    if (!this.branches.has(keyOf(path))) await this.fetch(path, { start: 0 });
    this.open.add(keyOf(path));
    this.byHand.set(keyOf(path), path);
    this.version += 1;
  }

  hide(path: Path): void {
    this.open.delete(keyOf(path));
    this.byHand.delete(keyOf(path));
    this.version += 1;
  }

  /** Opens everything above a path, and fetches the rows that lie around it. */
  async reveal(path: Path): Promise<void> {
    const above = this.top?.path.length ?? 0;
    for (let depth = above; depth < path.length; depth++) {
      const inner = path.slice(0, depth + 1);
      const parent = path.slice(0, depth);
      if (!this.places.has(keyOf(inner))) await this.fetch(parent, { around: inner[depth] });
      this.open.add(keyOf(parent));
    }
    this.version += 1;
  }

  /** Fetches what `reveal` of a path will need, and the children of the path, and opens nothing. */
  async prepare(path: Path): Promise<void> {
    for (let depth = this.top?.path.length ?? 0; depth < path.length; depth++) {
      if (!this.places.has(keyOf(path.slice(0, depth + 1))))
        await this.fetch(path.slice(0, depth), { around: path[depth] });
    }
    const number = this.places.get(keyOf(path));
    const row =
      number === undefined
        ? undefined
        : this.branches.get(keyOf(path.slice(0, -1)))?.rows.get(number);
    if (row?.children && !this.branches.has(keyOf(path))) await this.fetch(path, { start: 0 });
  }

  /** Fetches the page that a line stands on. */
  async fetchLine(line: { path: Path; number: number }): Promise<void> {
    await this.fetch(line.path, { start: line.number - (line.number % this.page) });
  }

  /** Fetches a page once; who asks for one that is on its way waits for it too. */
  private fetch(path: Path, which: { start?: number; around?: string }): Promise<void> {
    const key = `${keyOf(path)}@${which.start ?? which.around}`;
    let asked = this.asked.get(key);
    if (!asked) {
      asked = this.fetchPage(path, which).catch((problem: unknown) => {
        this.asked.delete(key);
        throw problem;
      });
      this.asked.set(key, asked);
    }
    return asked;
  }

  private async fetchPage(path: Path, which: { start?: number; around?: string }): Promise<void> {
    const page = level(this.looked, { path, only: this.only, ...which });
    const found = await queryClient.fetchQuery(page);
    const depth = path.length - (this.top?.path.length ?? 0) + 1;
    const branch = this.branch(path, depth);
    branch.total = found.total;
    this.page = found.page;
    found.rows.forEach((row, number) => this.put(branch, found.start + number, row));
    this.version += 1;
  }

  /** For every open branch that is drawn: its open rows in order, and how many lines it takes. */
  private layout = $derived.by((): Map<string, Drawn> => {
    void this.version;
    const found = new Map<string, Drawn>();
    const opened = new Map<string, [number, Row][]>();
    // few rows are open, so it is they that are looked through, not the branches
    for (const key of this.open) {
      const path = JSON.parse(key) as Path;
      const parent = keyOf(path.slice(0, -1));
      const number = this.places.get(key);
      const row = number === undefined ? undefined : this.branches.get(parent)?.rows.get(number);
      if (row) opened.set(parent, [...(opened.get(parent) ?? []), [number!, row]]);
    }
    const measure = (path: Path): number => {
      const key = keyOf(path);
      const branch = this.branches.get(key);
      if (!branch || !this.open.has(key)) return 0;
      const inner = (opened.get(key) ?? [])
        .sort((a, b) => a[0] - b[0])
        .map(([number, row]) => ({ number, row, lines: measure(row.path) }));
      const lines = inner.reduce((sum, one) => sum + one.lines, branch.total);
      found.set(key, { branch, inner, lines });
      return lines;
    };
    if (this.top) measure(this.top.path);
    return found;
  });

  /** How many lines there are. */
  count = $derived.by((): number =>
    this.top && this.begun ? 1 + (this.layout.get(keyOf(this.top.path))?.lines ?? 0) : 0,
  );

  /** The line at a place, counted from 0. */
  line(at: number): Line | undefined {
    if (!this.top) return undefined;
    if (at === 0) return { row: this.top, open: this.isOpen(this.top.path) };
    let drawn = this.layout.get(keyOf(this.top.path));
    let rest = at - 1;
    while (drawn) {
      let inside: Path | undefined;
      for (const { number, row, lines } of drawn.inner) {
        if (rest <= number) break;
        if (rest <= number + lines) {
          inside = row.path;
          rest -= number + 1;
          break;
        }
        rest -= lines;
      }
      if (!inside) break;
      drawn = this.layout.get(keyOf(inside));
    }
    if (!drawn || rest >= drawn.branch.total) return undefined;
    const { branch } = drawn;
    const row = branch.rows.get(rest);
    return row
      ? { row, open: this.isOpen(row.path) }
      : { path: branch.path, number: rest, depth: branch.depth };
  }

  /** Where the row of a path is drawn; -1 where it is not among the open ones. */
  indexOf(path: Path): number {
    const top = this.top?.path.length ?? 0;
    if (!this.top || path.length < top) return -1;
    let at = 0;
    for (let depth = top; depth < path.length; depth++) {
      const drawn = this.layout.get(keyOf(path.slice(0, depth)));
      const number = this.places.get(keyOf(path.slice(0, depth + 1)));
      if (!drawn || number === undefined) return -1;
      at += 1 + number;
      for (const one of drawn.inner) if (one.number < number) at += one.lines;
    }
    return at;
  }
}
