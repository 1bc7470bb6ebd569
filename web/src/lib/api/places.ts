import { queryOptions } from '@tanstack/svelte-query';
import { client, done, got, type AskPlace } from './client';
import { queryClient } from './cache';

export const copyPlaces = (system: number) =>
  queryOptions({
    queryKey: ['copy places', system],
    queryFn: () =>
      got(client.GET('/api/v1/settings/{number}/places', { params: { path: { number: system } } })),
  });

const again = () => queryClient.invalidateQueries({ queryKey: ['copy places'] });

export async function addPlace(system: number, body: AskPlace): Promise<void> {
  await got(
    client.POST('/api/v1/settings/{number}/places', { params: { path: { number: system } }, body }),
  );
  await again();
}

export async function copyNow(place: number): Promise<void> {
  await got(client.POST('/api/v1/places/{number}', { params: { path: { number: place } } }));
  await again();
}

export async function removePlace(place: number): Promise<void> {
  await done(client.DELETE('/api/v1/places/{number}', { params: { path: { number: place } } }));
  await again();
}

export const storedIn = (place: number) =>
  queryOptions({
    queryKey: ['stored', place],
    queryFn: () =>
      got(client.GET('/api/v1/places/{number}/stored', { params: { path: { number: place } } })),
    retry: false,
  });

export async function takeIn(place: number, name: string, passphrase: string) {
  const taken = await got(
    client.POST('/api/v1/places/{number}/stored', {
      params: { path: { number: place } },
      body: { name, passphrase },
    }),
  );
  await queryClient.invalidateQueries();
  return taken;
}
