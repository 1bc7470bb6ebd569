import { SvelteMap, SvelteSet } from 'svelte/reactivity';
import type { Level, Row } from '$lib/api/client';
import { level, outline, queryClient, type Sides } from '$lib/api/queries';
import { keyOf, type Path } from './paths';

/** A line of the tree as it is drawn: a row, or a place where more rows are to be fetched. */
export type Line = { row: Row; open: boolean } | { path: Path; start: number; depth: number };

const PAGE = 200;

interface Branch {
  total: number;
  rows: SvelteMap<number, Row>;
}

/** The merged tree: what is open, and the rows fetched so far. Only open levels are ever held. */
export class Tree {
  private branches = new SvelteMap<string, Branch>();
  private open = new SvelteSet<string>();
  // what was asked for is never shown, so nothing need react to it
  // eslint-disable-next-line svelte/prefer-svelte-reactivity
  private asked = new Set<string>();
  top = $state<Row>();

  constructor(
    private readonly sides: Sides,
    private readonly only: 'differences' | 'all',
    private readonly states: string,
  ) {}

  /** Fetches the tree, folded down to the differences. */
  async begin(): Promise<void> {
    const found = await queryClient.fetchQuery(outline(this.sides, this.states));
    this.top = found.rows[0];
    const parents: Row[] = [];
    for (const row of found.rows) {
      parents.length = row.depth;
      const parent = parents[row.depth - 1];
      if (parent && this.only === 'differences') {
        const branch = this.branch(parent.path);
        branch.rows.set(branch.rows.size, row);
        branch.total = branch.rows.size;
      }
      if (row.opened && this.only === 'differences') this.open.add(keyOf(row.path));
      parents.push(row);
    }
    if (this.only === 'all' && this.top) await this.show(this.top.path);
  }

  private branch(path: Path): Branch {
    const key = keyOf(path);
    let found = this.branches.get(key);
    if (!found) {
      found = { total: 0, rows: new SvelteMap() };
      this.branches.set(key, found);
    }
    return found;
  }

  isOpen(path: Path): boolean {
    return this.open.has(keyOf(path));
  }

  async show(path: Path): Promise<void> {
    if (!this.branches.has(keyOf(path))) await this.fetch(path, 0);
    this.open.add(keyOf(path));
  }

  hide(path: Path): void {
    this.open.delete(keyOf(path));
  }

  /** Opens everything above a path. */
  async reveal(path: Path): Promise<void> {
    const above = this.top?.path.length ?? 0;
    for (let depth = above; depth < path.length; depth++) await this.show(path.slice(0, depth));
  }

  /** Fetches one page of a level. */
  async fetch(path: Path, start: number): Promise<void> {
    const key = `${keyOf(path)}@${start}`;
    if (this.asked.has(key)) return;
    this.asked.add(key);
    const found: Level = await queryClient.fetchQuery(
      level(this.sides, path, this.only, this.states, start),
    );
    const branch = this.branch(path);
    branch.total = found.total;
    found.rows.forEach((row, number) => branch.rows.set(start + number, row));
  }

  /** All lines that are open, in order. */
  lines = $derived.by((): Line[] => {
    const out: Line[] = [];
    const walk = (row: Row): void => {
      const open = this.isOpen(row.path);
      out.push({ row, open });
      const branch = open ? this.branches.get(keyOf(row.path)) : undefined;
      if (!branch) return;
      for (let n = 0; n < branch.total; n++) {
        const inner = branch.rows.get(n);
        if (inner) walk(inner);
        else out.push({ path: row.path, start: n - (n % PAGE), depth: row.depth + 1 });
      }
    };
    if (this.top) walk(this.top);
    return out;
  });
}
