import { queryOptions } from '@tanstack/svelte-query';
import type { Path } from '$lib/model/paths';
import { client, cookie, done, Failure, got, refusal, type OpenedFile } from './client';
import { queryClient } from './cache';

/** The formats a backup can be saved in: what they are called, and what they are for. */
export const FORMS = [
  ['archive', 'archive', 'a ZIP with all of it, checked and signed; opens here and in other tools'],
  ['text', 'key text', 'lines a person reads and edits; any piece of it is a file too'],
  ['csv', 'CSV', 'a table, a row for each value'],
  ['csv-objects', 'CSV, wide', 'a table, a row for each object, a column for each attribute'],
  ['xlsx', 'workbook', 'for spreadsheets, a row for each value'],
  ['xlsx-objects', 'workbook, wide', 'for spreadsheets, a row for each object'],
  ['json', 'JSON', 'one document, for scripts'],
  ['yaml', 'YAML', 'the same, easier to read'],
  ['toml', 'TOML', 'the same, as sections'],
  ['ini', 'INI', 'a section for each object'],
  ['ldif', 'LDIF', 'entries, as the tools of directories load them'],
] as const;
export type ExportForm = (typeof FORMS)[number][0];
/** Formats that can hold secrets sealed with a passphrase. */
export const SEALS: readonly ExportForm[] = ['archive', 'text', 'json', 'yaml', 'toml'];
export type ReadForm = Exclude<ExportForm, `${string}-objects`>;
/** Formats that are told apart when a file is opened: both tables of one sort are read alike. */
export const READ = FORMS.filter(([name]) => !name.endsWith('-objects'));

export interface Wanted {
  backup: number;
  form: ExportForm;
  /** Objects with all that is beneath them; with `single` empty too, all there is. */
  branches: Path[];
  /** Objects without what is beneath them. */
  single: Path[];
}

const body = ({ form, branches, single }: Wanted) => ({ form, branches, single });

/** What an export would hold; made anew each time, since it is as large as the file. */
export const exportAhead = (wanted: Wanted) =>
  queryOptions({
    queryKey: ['export', wanted],
    queryFn: () =>
      got(
        client.POST('/api/v1/records/{number}/export/ahead', {
          params: { path: { number: wanted.backup } },
          body: { ...body(wanted), passphrase: null },
        }),
      ),
    retry: false,
  });

/** Where the browser itself fetches a file of one place, however large; undefined for several. */
export function exportAddress({ backup, form, branches, single }: Wanted): string | undefined {
  const places = [...branches, ...single];
  if (places.length > 1) return undefined;
  const asked = new URLSearchParams({ form });
  if (places[0]) asked.set('path', JSON.stringify(places[0]));
  if (single.length) asked.set('alone', 'true');
  return `/api/v1/records/${backup}/export?${asked}`;
}

/** Fetches a file and lets the browser save it under a name. */
export async function save(wanted: Wanted, passphrase: string | null, name: string): Promise<void> {
  const { data, response, error } = await client.POST('/api/v1/records/{number}/export', {
    params: { path: { number: wanted.backup } },
    body: { ...body(wanted), passphrase },
    parseAs: 'blob',
  });
  if (!data) throw refusal(error, response);
  const link = document.createElement('a');
  link.href = URL.createObjectURL(data as unknown as Blob);
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 60_000);
}

export const files = () =>
  queryOptions({
    queryKey: ['files'],
    queryFn: () => got(client.GET('/api/v1/files')),
  });

export const file = (number: number) =>
  queryOptions({
    queryKey: ['file', number],
    queryFn: () => got(client.GET('/api/v1/files/{number}', { params: { path: { number } } })),
  });

export const fileObject = (number: number, path: Path, start = 0) =>
  queryOptions({
    queryKey: ['file object', number, path, start],
    queryFn: () =>
      got(
        client.GET('/api/v1/files/{number}/object', {
          params: { path: { number }, query: { path: JSON.stringify(path), start } },
        }),
      ),
    staleTime: Infinity,
  });

export const searchFile = (number: number, text: string) =>
  queryOptions({
    queryKey: ['search file', number, text],
    queryFn: () =>
      got(
        client.GET('/api/v1/files/{number}/search', {
          params: { path: { number }, query: { text } },
        }),
      ),
  });

/** Sends a file as it lies on disk; it is kept only if it is understood as a whole. */
export async function openFile(
  source: File,
  form?: ReadForm,
  passphrase?: string,
): Promise<OpenedFile> {
  const asked = new URLSearchParams({ name: source.name, ...(form ? { form } : {}) });
  let response: Response;
  try {
    response = await fetch(`/api/v1/files?${asked}`, {
      method: 'POST',
      body: source,
      headers: {
        'Content-Type': 'application/octet-stream',
        'X-CSRFToken': cookie('csrftoken'),
        ...(passphrase ? { 'X-Passphrase': encodeURIComponent(passphrase) } : {}),
      },
    });
  } catch {
    throw new Failure('The file could not be sent.', 'It may be too large, or have changed.');
  }
  const told: unknown = await response.json().catch(() => undefined);
  if (!response.ok) throw refusal(told, response);
  await queryClient.invalidateQueries({ queryKey: files().queryKey });
  return told as OpenedFile;
}

export async function dropFile(number: number): Promise<void> {
  await done(client.DELETE('/api/v1/files/{number}', { params: { path: { number } } }));
  await queryClient.invalidateQueries({ queryKey: files().queryKey });
}

export async function importFile(number: number, system: number, note: string) {
  const made = await got(
    client.POST('/api/v1/files/{number}/import', {
      params: { path: { number } },
      body: { system, note },
    }),
  );
  await queryClient.invalidateQueries();
  return made;
}
