import { queryOptions } from '@tanstack/svelte-query';
import type { PickedThing } from '$lib/model/picks.svelte';
import { queryClient } from './cache';
import {
  client,
  got,
  type Again,
  type AskElsewhere,
  type AskSettings,
  type FormerName,
  type Rules,
  type Settings,
  type Watched,
} from './client';
import { forever, termsOf, type Looked } from './comparing';

export const session = () =>
  queryOptions({
    queryKey: ['session'],
    queryFn: () => got(client.GET('/api/v1/session')),
    staleTime: Infinity,
  });

export const health = () =>
  queryOptions({
    queryKey: ['health'],
    queryFn: () => got(client.GET('/api/v1/health')),
    refetchInterval: 15_000,
  });

/** What wants attention, the most urgent first: each object that differs by itself. */
export const attention = () =>
  queryOptions({
    queryKey: ['attention'],
    queryFn: () => got(client.GET('/api/v1/attention/ranked')),
    refetchInterval: 60_000,
  });

/** Saves how a system is watched: its tags, what is urgent of it, and what is minor. */
export async function saveWatched(system: number, body: Watched): Promise<void> {
  const params = { path: { number: system } };
  await got(client.PUT('/api/v1/systems/{number}/watched', { params, body }));
  await queryClient.invalidateQueries({ queryKey: systems().queryKey });
  await queryClient.invalidateQueries({ queryKey: attention().queryKey });
}

/** A backup or a look that was asked for; it is asked after until it has ended. */
export const work = (number: number) =>
  queryOptions({
    queryKey: ['work', number],
    queryFn: () => got(client.GET('/api/v1/work/{number}', { params: { path: { number } } })),
    refetchInterval: (query: { state: { data?: { state: string } } }) =>
      ['done', 'failed', 'cancelled'].includes(query.state.data?.state ?? '') ? false : 2_000,
  });

export const systems = () =>
  queryOptions({
    queryKey: ['systems'],
    queryFn: () => got(client.GET('/api/v1/systems')),
  });

export const backups = (system: number) =>
  queryOptions({
    queryKey: ['backups', system],
    queryFn: () =>
      got(client.GET('/api/v1/systems/{number}/backups', { params: { path: { number: system } } })),
  });

export const search = (text: string, system: number | undefined, only: 'present' | 'gone' | '') =>
  queryOptions({
    queryKey: ['search', text, system, only],
    queryFn: () =>
      got(
        client.GET('/api/v1/search', {
          params: { query: { text, system, ...(only ? { only } : {}) } },
        }),
      ),
    retry: false,
  });

export async function saveRules(system: number, rules: Rules): Promise<void> {
  await got(
    client.PUT('/api/v1/systems/{number}/rules', {
      params: { path: { number: system } },
      body: rules,
    }),
  );
  // every comparison of this system may tell something else now
  await queryClient.invalidateQueries();
}

/** The backup that most is restored from: the one looked at, unless all picks are of another. */
function sourceOf(looked: Looked, picks: PickedThing[]): number {
  const sources = new Set(picks.map((pick) => pick.backup));
  return sources.size === 1 ? [...sources][0]! : looked.left;
}

/** What becomes of what is there already: made as the backup has it, left, or only filled up. */
export type Policy = 'overwrite' | 'keep' | 'fill';

const asked = (
  looked: Looked,
  picks: PickedThing[],
  policy: Policy,
  chosen: Record<string, string> = {},
) => ({
  backup: sourceOf(looked, picks),
  look: looked.right,
  policy,
  picks,
  chosen,
  terms: {
    rules: looked.rules ? (JSON.parse(looked.rules) as Rules) : null,
    alike: looked.alike ?? null,
    accepted: looked.accepted ? (JSON.parse(looked.accepted) as string[][][]) : [],
    hangs: looked.hangs ? (JSON.parse(looked.hangs) as string[]) : null,
  },
});

export const tray = (looked: Looked, picks: PickedThing[], policy: Policy) =>
  queryOptions({
    queryKey: ['tray', termsOf(looked), JSON.stringify(picks), policy],
    queryFn: () => got(client.POST('/api/v1/tray', { body: asked(looked, picks, policy) })),
    ...forever,
  });

export function askPreview(
  looked: Looked,
  picks: PickedThing[],
  policy: Policy,
  chosen: Record<string, string>,
) {
  return got(client.POST('/api/v1/plans', { body: asked(looked, picks, policy, chosen) }));
}

/** Previews the same picks on a new look at live. */
export function askPreviewAgain(number: number, body: Again = { renamed: [], remember: false }) {
  return got(client.POST('/api/v1/plans/{number}/again', { params: { path: { number } }, body }));
}

/** What attributes of a system were called formerly, as somebody has said. */
export const formerNames = (system: number) =>
  queryOptions({
    queryKey: ['former-names', system],
    queryFn: () =>
      got(client.GET('/api/v1/systems/{number}/names', { params: { path: { number: system } } })),
  });

export function saveFormerNames(system: number, names: FormerName[]) {
  return got(
    client.PUT('/api/v1/systems/{number}/names', {
      params: { path: { number: system } },
      body: { names },
    }),
  );
}

export const places = (system: number) =>
  queryOptions({
    queryKey: ['places', system],
    queryFn: () =>
      got(client.GET('/api/v1/systems/{number}/places', { params: { path: { number: system } } })),
  });

export function askElsewhere(body: AskElsewhere) {
  return got(client.POST('/api/v1/plans/elsewhere', { body }));
}

export const plan = (number: number) =>
  queryOptions({
    queryKey: ['plan', number],
    queryFn: () => got(client.GET('/api/v1/plans/{number}', { params: { path: { number } } })),
  });

export async function askWork(
  system: number,
  kind: 'look' | 'backup',
  at: string[] = [],
  note = '',
  pinned = false,
): Promise<number> {
  const asked = await got(
    client.POST('/api/v1/systems/{number}/work', {
      params: { path: { number: system } },
      body: { kind, at, note, pinned },
    }),
  );
  await queryClient.invalidateQueries({ queryKey: systems().queryKey });
  return asked.id;
}

export const connectors = () =>
  queryOptions({
    queryKey: ['connectors'],
    queryFn: () => got(client.GET('/api/v1/connectors')),
    staleTime: Infinity,
  });

export const allSettings = () =>
  queryOptions({
    queryKey: ['settings'],
    queryFn: () => got(client.GET('/api/v1/settings')),
  });

export const tryConnection = (body: AskSettings, signal: AbortSignal) =>
  got(client.POST('/api/v1/connectors/try', { body, signal }));

/** Adds a system, or changes the one with this number; returns how it is reached now. */
export async function saveSettings(body: AskSettings, number?: number): Promise<Settings> {
  const saved = await got(
    number === undefined
      ? client.POST('/api/v1/settings', { body })
      : client.PUT('/api/v1/settings/{number}', { params: { path: { number } }, body }),
  );
  await queryClient.invalidateQueries();
  return saved;
}

export async function removeSystem(number: number): Promise<void> {
  await got(client.DELETE('/api/v1/settings/{number}', { params: { path: { number } } }));
  await queryClient.invalidateQueries();
}
