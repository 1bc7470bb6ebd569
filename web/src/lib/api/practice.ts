import { queryOptions } from '@tanstack/svelte-query';
import { client, done, got, type AskSchedule, type Policy } from './client';
import { queryClient } from './cache';
import { attention, systems, work } from './queries';

/** Everything that is told of how a system is kept may be another thing now. */
const again = () => queryClient.invalidateQueries();

const of = (number: number) => ({ params: { path: { number } } });

export const schedules = (system: number) =>
  queryOptions({
    queryKey: ['schedules', system],
    queryFn: () => got(client.GET('/api/v1/systems/{number}/schedules', of(system))),
  });

/** The next three times of a schedule that is being edited, and which references would cross. */
export const timesAhead = (system: number, body: AskSchedule) =>
  queryOptions({
    queryKey: ['times', system, body],
    queryFn: () =>
      got(client.POST('/api/v1/systems/{number}/schedules/ahead', { ...of(system), body })),
    retry: false,
  });

export async function saveSchedule(
  system: number,
  body: AskSchedule,
  number?: number,
): Promise<void> {
  await got(
    number === undefined
      ? client.POST('/api/v1/systems/{number}/schedules', { ...of(system), body })
      : client.PUT('/api/v1/schedules/{number}', { ...of(number), body }),
  );
  await again();
}

export async function pauseSchedule(number: number, paused: boolean): Promise<void> {
  await got(client.PATCH('/api/v1/schedules/{number}', { ...of(number), body: { paused } }));
  await again();
}

export async function removeSchedule(number: number): Promise<void> {
  await done(client.DELETE('/api/v1/schedules/{number}', of(number)));
  await again();
}

export async function runSchedule(number: number): Promise<number> {
  const asked = await got(client.POST('/api/v1/schedules/{number}/run', of(number)));
  await again();
  return asked.id;
}

export const retention = (system: number) =>
  queryOptions({
    queryKey: ['retention', system],
    queryFn: () => got(client.GET('/api/v1/systems/{number}/retention', of(system))),
  });

/** What a policy would do; nothing is changed. */
export const retentionAhead = (system: number, body: Policy) =>
  queryOptions({
    queryKey: ['retention', system, body],
    queryFn: () =>
      got(client.POST('/api/v1/systems/{number}/retention/ahead', { ...of(system), body })),
    retry: false,
  });

export async function saveRetention(system: number, body: Policy): Promise<void> {
  await got(client.PUT('/api/v1/systems/{number}/retention', { ...of(system), body }));
  await again();
}

/** How far live is from a backup, by the newest look. */
export const apart = (backup: number) =>
  queryOptions({
    queryKey: ['standing', backup, 'apart'],
    queryFn: () => got(client.GET('/api/v1/records/{number}/apart', of(backup))),
    staleTime: 5 * 60_000,
  });

export const standing = (backup: number) =>
  queryOptions({
    queryKey: ['standing', backup],
    queryFn: () => got(client.GET('/api/v1/records/{number}/standing', of(backup))),
  });

/** What deleting a backup would do; it is worked out when somebody is about to. */
export const deletion = (backup: number) =>
  queryOptions({
    queryKey: ['deletion', backup],
    queryFn: () => got(client.GET('/api/v1/records/{number}/delete', of(backup))),
  });

export async function deleteBackup(backup: number): Promise<number | null> {
  const { freed } = await got(client.POST('/api/v1/records/{number}/delete', of(backup)));
  await again();
  return freed;
}

export async function changeBackup(
  backup: number,
  body: { note?: string; pinned?: boolean; baseline?: boolean },
): Promise<void> {
  await got(client.PATCH('/api/v1/records/{number}', { ...of(backup), body }));
  await again();
}

export async function verifyBackup(backup: number): Promise<number> {
  return (await got(client.POST('/api/v1/records/{number}/verify', of(backup)))).id;
}

export async function verifySystem(system: number): Promise<number> {
  return (await got(client.POST('/api/v1/systems/{number}/verify', of(system)))).id;
}

export async function cancelWork(number: number): Promise<void> {
  await got(client.POST('/api/v1/work/{number}/cancel', of(number)));
  await queryClient.invalidateQueries({ queryKey: work(number).queryKey });
  await queryClient.invalidateQueries({ queryKey: systems().queryKey });
}

export const keeping = (system: number) =>
  queryOptions({
    queryKey: ['keeping', system],
    queryFn: () => got(client.GET('/api/v1/systems/{number}/keeping', of(system))),
  });

/** How much each kind of object took the last time. */
export const kinds = (system: number) =>
  queryOptions({
    queryKey: ['kinds', system],
    queryFn: () => got(client.GET('/api/v1/systems/{number}/kinds', of(system))),
  });

export interface AskKeeping {
  choice: { kinds_out: string[]; places: string[]; places_out: string[] };
  remind_days: number;
  verify_days: number;
}

export async function saveKeeping(system: number, body: AskKeeping): Promise<void> {
  await got(client.PUT('/api/v1/systems/{number}/keeping', { ...of(system), body }));
  await again();
}

export const expected = (system: number, at: string[]) =>
  queryOptions({
    queryKey: ['expected', system, at],
    queryFn: () =>
      got(
        client.GET('/api/v1/systems/{number}/expected', {
          params: { path: { number: system }, query: { at: JSON.stringify(at) } },
        }),
      ),
  });

export async function putAside(
  item: { system: number | null; code: string; stands: string },
  why: string,
  hours: number | null,
  accepted = false,
): Promise<void> {
  const { system, code, stands } = item;
  const body = { system, code, stands, why, hours, accepted };
  await got(client.POST('/api/v1/attention/aside', { body }));
  await queryClient.invalidateQueries({ queryKey: attention().queryKey });
}

export async function takeUp(number: number): Promise<void> {
  await done(client.DELETE('/api/v1/attention/aside/{number}', of(number)));
  await queryClient.invalidateQueries({ queryKey: attention().queryKey });
}
