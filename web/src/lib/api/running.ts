import { queryOptions } from '@tanstack/svelte-query';
import { client, got, type Run } from './client';
import { queryClient } from './cache';

/** Previews the way back from a run: from all of it, or from some steps. */
export function askUndo(number: number, steps: number[] = []) {
  return got(
    client.POST('/api/v1/runs/{number}/undo', {
      params: { path: { number } },
      body: { steps: steps.length ? steps : null },
    }),
  );
}

export const runs = () =>
  queryOptions({
    queryKey: ['runs'],
    queryFn: () => got(client.GET('/api/v1/runs')),
  });

export async function changeWait(number: number, minutes: number): Promise<void> {
  await got(
    client.PATCH('/api/v1/runs/{number}', {
      params: { path: { number } },
      body: { wait_minutes: minutes },
    }),
  );
  await queryClient.invalidateQueries({ queryKey: run(number).queryKey });
}

/** A run. Its plan never changes, so it comes once; then only lines are asked for that changed. */
export const run = (number: number) =>
  queryOptions({
    queryKey: ['run', number],
    queryFn: async (): Promise<Run> => {
      const path = { number };
      const before = queryClient.getQueryData(run(number).queryKey);
      if (!before) return got(client.GET('/api/v1/runs/{number}', { params: { path } }));
      const query = { after: before.entries };
      const journal = await got(
        client.GET('/api/v1/runs/{number}/journal', { params: { path, query } }),
      );
      const changed = new Map(journal.lines.map((line) => [line.number, line]));
      const lines = before.lines.map((line) => changed.get(line.number) ?? line);
      return { ...journal, lines, content: before.content };
    },
  });

/** Cancels a run before its next step. */
export async function cancelRun(number: number): Promise<void> {
  await got(client.POST('/api/v1/runs/{number}/cancel', { params: { path: { number } } }));
  await queryClient.invalidateQueries({ queryKey: run(number).queryKey });
}

/** Uses once what a step has written; returns what came of it. */
export async function tryOut(number: number, step: number): Promise<string> {
  const asked = { params: { path: { number } }, body: { step } };
  const { said } = await got(client.POST('/api/v1/runs/{number}/try', asked));
  await queryClient.invalidateQueries({ queryKey: run(number).queryKey });
  return said;
}
