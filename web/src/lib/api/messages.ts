import { queryOptions } from '@tanstack/svelte-query';
import { client, done, got, type AskReceiver } from './client';
import { queryClient } from './cache';

const of = (number: number) => ({ params: { path: { number } } });
const again = () => queryClient.invalidateQueries({ queryKey: receivers().queryKey });

export const receivers = () =>
  queryOptions({
    queryKey: ['receivers'],
    queryFn: () => got(client.GET('/api/v1/receivers')),
    refetchInterval: 20_000,
  });

/** Adds somebody who is told; returns what calls are signed with, which is shown this once. */
export async function addReceiver(body: AskReceiver): Promise<string> {
  const { secret } = await got(client.POST('/api/v1/receivers', { body }));
  await again();
  return secret;
}

export async function pauseReceiver(number: number, paused: boolean): Promise<void> {
  await got(client.PATCH('/api/v1/receivers/{number}', { ...of(number), body: { paused } }));
  await again();
}

export async function removeReceiver(number: number): Promise<void> {
  await done(client.DELETE('/api/v1/receivers/{number}', of(number)));
  await again();
}

export async function testReceiver(number: number): Promise<void> {
  await done(client.POST('/api/v1/receivers/{number}/test', of(number)));
}

export async function sendDigest(number: number): Promise<void> {
  await got(client.POST('/api/v1/receivers/{number}/digest', of(number)));
  await again();
}
