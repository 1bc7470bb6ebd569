import { QueryClient, QueryObserver } from '@tanstack/svelte-query';
import { expect, test } from 'vitest';
import { askAgain } from './stale';

test('what changes while it is asked for the first time is asked for once more', async () => {
  const client = new QueryClient();
  let live = 'before';
  const answers: (() => void)[] = [];
  const ask = (): Promise<string> => {
    const seen = live; // the server has read it before the change
    return new Promise((resolve) => answers.push(() => resolve(seen)));
  };
  const observer = new QueryObserver(client, { queryKey: ['run', 1], queryFn: ask });
  observer.subscribe(() => undefined);
  live = 'after';
  const done = askAgain(client, ['run', 1]);
  while (answers.length) {
    answers.shift()!();
    await new Promise((resolve) => setTimeout(resolve));
  }
  await done;
  expect(client.getQueryData(['run', 1])).toBe('after');
});
