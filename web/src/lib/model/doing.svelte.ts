import { createMutation } from '@tanstack/svelte-query';

interface Asked {
  what: string;
  act: () => Promise<unknown>;
}

/**
 * What a person has asked for with buttons: one thing after the other, and why it failed. What is
 * asked for while something else is under way waits its turn; the same thing twice is done once.
 */
export function createDoing() {
  const mutation = createMutation<unknown, Error, Asked>(() => ({
    mutationFn: ({ act }) => act(),
    networkMode: 'always',
  }));
  const asked: string[] = [];
  let turn: Promise<unknown> = Promise.resolve();
  return {
    /** What is under way; empty where nothing is. */
    get busy(): string {
      return mutation.isPending ? mutation.variables.what : '';
    },
    get error(): Error | undefined {
      return mutation.error ?? undefined;
    },
    run(what: string, act: () => Promise<unknown>): void {
      if (asked.includes(what)) return;
      asked.push(what);
      turn = turn
        .then(() => mutation.mutateAsync({ what, act }))
        .catch(() => undefined) // `error` tells it
        .finally(() => asked.shift());
    },
    /** Lets go of what went wrong before. */
    clear(): void {
      mutation.reset();
    },
  };
}
