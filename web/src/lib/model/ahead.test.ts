import { describe, expect, it, vi } from 'vitest';
import type { Looked } from '$lib/api/comparing';
import { fetchAhead } from './ahead';
import type { Path } from './paths';
import type { Tree } from './tree.svelte';

const DIFFERENCES = ['a', 'b', 'c'];
const asked: string[] = [];

vi.mock('$lib/api/comparing', () => {
  const named = (kind: string) => (_: unknown, path: Path, way?: 'next' | 'previous') => {
    const at = DIFFERENCES.indexOf(path[0]!) + (way === 'previous' ? -1 : 1);
    const beside = DIFFERENCES[at];
    return { told: [kind, ...path, way].join(' ').trim(), answer: beside ? [beside] : null };
  };
  return {
    bench: named('bench'),
    neighbour: named('beside'),
    objectHistory: named('history'),
  };
});
vi.mock('$lib/api/cache', () => {
  const fetch = (query: { told: string; answer: Path | null }) => {
    asked.push(query.told);
    return Promise.resolve(query.answer);
  };
  return { queryClient: { fetchQuery: fetch, prefetchQuery: fetch } };
});

const LOOKED: Looked = { left: 1, right: 2 };
const tree = (prepare: (path: Path) => void): Tree =>
  ({ prepare: (path: Path) => Promise.resolve(prepare(path)) }) as unknown as Tree;
const rows = (path: Path) => void asked.push(`rows ${path.join(' ')}`);

describe('fetching ahead', () => {
  it('asks for the likeliest first', async () => {
    asked.length = 0;
    await fetchAhead(LOOKED, tree(rows), ['a'], { over: false });
    expect(asked).toEqual([
      'rows a',
      'beside a next',
      'rows b',
      'bench b',
      'beside b next',
      'rows c',
      'beside a previous',
      'history b',
    ]);
  });

  it('asks no more once the person has gone on, and for nothing behind the last', async () => {
    asked.length = 0;
    const stay = { over: false };
    await fetchAhead(
      LOOKED,
      tree((path) => {
        rows(path);
        stay.over = path[0] === 'b';
      }),
      ['a'],
      stay,
    );
    expect(asked).toEqual(['rows a', 'beside a next', 'rows b']);
    asked.length = 0;
    await fetchAhead(LOOKED, tree(rows), ['c'], { over: false });
    expect(asked).toEqual(['rows c', 'beside c next', 'beside c previous']);
  });

  it('leaves it to the key to say what is wrong', async () => {
    const broken = tree(() => {
      throw new Error('away');
    });
    await expect(fetchAhead(LOOKED, broken, ['a'], { over: false })).resolves.toBeUndefined();
  });
});
