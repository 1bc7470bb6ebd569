import { describe, expect, it, vi } from 'vitest';
import { keyOf, type Path } from './paths';
import { Tree, type Line } from './tree.svelte';

/** A plant of three halls; the second holds a thousand tanks, each with two units. */
const HALLS = ['hall-0', 'hall-1', 'hall-2'];
const TANKS = Array.from({ length: 1000 }, (_, n) => `tank-${String(n).padStart(4, '0')}`);
const asked: string[] = [];
const PAGE = 200;

function childrenOf(path: Path): string[] {
  if (path.length === 0) return HALLS;
  if (path.length === 1) return path[0] === 'hall-1' ? TANKS : ['lamp'];
  return path.length === 2 && path[0] === 'hall-1' ? ['light', 'pump'] : [];
}

const row = (path: Path) => ({
  path,
  name: path.at(-1) ?? '',
  depth: path.length,
  state: 'same',
  children: childrenOf(path).length,
  opened: false,
});

vi.mock('$lib/api/comparing', () => ({
  outline: () => ({ rows: [row([])], page: PAGE }),
  level: (_: unknown, page: { path: Path; start?: number; around?: string }) => {
    const names = childrenOf(page.path);
    const at = page.around === undefined ? (page.start ?? 0) : names.indexOf(page.around);
    const start = at - (at % PAGE);
    asked.push(`${keyOf(page.path)}@${start}`);
    const rows = names.slice(start, start + PAGE).map((name) => row([...page.path, name]));
    return { total: names.length, start, rows, page: PAGE };
  },
}));
vi.mock('$lib/api/cache', () => ({
  queryClient: { fetchQuery: (answer: unknown) => Promise.resolve(answer) },
}));

async function opened(...paths: Path[]): Promise<Tree> {
  asked.length = 0;
  const tree = new Tree({ left: 1, right: 2 }, 'all');
  await tree.begin();
  for (const path of paths) await tree.show(path);
  return tree;
}

const names = (tree: Tree): string[] =>
  Array.from({ length: tree.count }, (_, at) => {
    const line = tree.line(at) as Line;
    return 'row' in line ? line.row.name : `…${line.number}`;
  });

describe('the tree', () => {
  it('draws what is open, in order', async () => {
    const tree = await opened(['hall-0'], ['hall-2']);
    expect(names(tree)).toEqual(['', 'hall-0', 'lamp', 'hall-1', 'hall-2', 'lamp']);
    tree.hide(['hall-0']);
    expect(names(tree)).toEqual(['', 'hall-0', 'hall-1', 'hall-2', 'lamp']);
    tree.hide([]);
    expect(names(tree)).toEqual(['']);
    expect(tree.line(1)).toBeUndefined();
  });

  it('knows of rows that are not fetched only that they are there', async () => {
    const tree = await opened(['hall-1']);
    expect(tree.count).toBe(1 + 3 + 1000);
    expect(names(tree)[3 + 200]).toBe('…200');
    expect(asked).toEqual(['[]@0', '["hall-1"]@0']);
    await tree.fetchLine(tree.line(3 + 950) as { path: Path; number: number });
    expect(asked.at(-1)).toBe('["hall-1"]@800');
    expect(names(tree)[3 + 950]).toBe('tank-0950');
    await tree.fetchLine({ path: ['hall-1'], number: 960 });
    expect(asked).toHaveLength(3);
  });

  it('finds the line of every row, and the row of every line', async () => {
    const tree = await opened(['hall-0'], ['hall-1'], ['hall-1', 'tank-0003'], ['hall-2']);
    await tree.show(['hall-1', 'tank-0150']);
    for (let at = 0; at < tree.count; at++) {
      const line = tree.line(at)!;
      if ('row' in line) expect(tree.indexOf(line.row.path)).toBe(at);
    }
    expect(tree.count).toBe(1 + 3 + 1 + 1000 + 2 + 2 + 1);
    expect(tree.indexOf(['hall-1', 'tank-0999'])).toBe(-1);
    expect(tree.indexOf(['nowhere'])).toBe(-1);
  });

  it('opens what is above a path, and fetches only the pages that lead to it', async () => {
    const tree = await opened();
    await tree.reveal(['hall-1', 'tank-0777', 'pump']);
    expect(asked).toEqual(['[]@0', '["hall-1"]@600', '["hall-1","tank-0777"]@0']);
    const at = tree.indexOf(['hall-1', 'tank-0777', 'pump']);
    const line = tree.line(at)!;
    expect('row' in line && line.row.name).toBe('pump');
    expect(at).toBe(1 + 1 + 1 + 777 + 2);
  });

  it('fetches ahead without opening anything', async () => {
    const tree = await opened();
    await tree.prepare(['hall-1', 'tank-0500']);
    expect(asked).toEqual(['[]@0', '["hall-1"]@400', '["hall-1","tank-0500"]@0']);
    expect(tree.count).toBe(4);
    await tree.reveal(['hall-1', 'tank-0500']);
    expect(asked).toHaveLength(3);
  });
});
