import createClient from 'openapi-fetch';
import type { components, paths } from './schema';

type Schemas = components['schemas'];
export type Person = Schemas['Person'];
export type System = Schemas['SystemShape'];
export type Backup = Schemas['RecordShape'];
export type Work = Schemas['WorkShape'];
export type CompareHead = Schemas['CompareHeadShape'];
export type Row = Schemas['RowShape'];
export type Level = Schemas['LevelShape'];
export type Bench = Schemas['BenchShape'];
export type Attribute = Schemas['ShownAttributeShape'];
export type Shown = Schemas['ShownShape'];
export type Stretch = Schemas['ShownStretchShape'];
export type MapKey = Schemas['ShownKeyShape'];
export type Rules = Schemas['RulesShapeRequest'];
export type Facet = Schemas['FacetShape'];
export type Moment = Schemas['MomentShape'];
export type BriefRecord = Schemas['BriefRecordShape'];
export type Hit = Schemas['HitShape'];
export type Tray = Schemas['TrayShape'];
export type Plan = Schemas['PlanShape'];
export type Step = Schemas['StepShape'];
export type Finding = Schemas['FindingShape'];
export type Offer = Schemas['OfferShape'];
export type Run = Schemas['RunShape'];
export type Connector = Schemas['ConnectorShape'];
export type Option = Schemas['OptionFieldShape'];
export type Settings = Schemas['SettingsShape'];
export type AskSettings = Schemas['AskSettingsShapeRequest'];
export type Again = Schemas['AgainShapeRequest'];
export type FormerName = Schemas['FormerNameShape'];
export type AskElsewhere = Schemas['ElsewhereShapeRequest'];
export type Probe = Schemas['ProbeShape'];
export type AskPlace = Schemas['AskPlaceShapeRequest'];
export type PlaceForCopies = Schemas['PlaceForCopiesShape'];
export type OpenedFile = Schemas['FileShape'];
export type FileObject = Schemas['FileObjectShape'];
export type AskSchedule = Schemas['AskScheduleShapeRequest'];
export type Schedule = Schemas['ScheduleShape'];
export type Policy = Schemas['PolicyShapeRequest'];
export type Item = Schemas['ItemShape'];
export type Ranked = Schemas['RankedShape'];
export type Thing = Schemas['ThingShape'];
export type Watched = Schemas['WatchedShapeRequest'];
export type AskReceiver = Schemas['AskReceiverShapeRequest'];
export type Receiver = Schemas['ReceiverShape'];
export type BranchTable = Schemas['BranchTableShape'];
export type BranchRow = Schemas['BranchRowShape'];
export type Common = Schemas['ShownCommonShape'];
export type RunBrief = Schemas['RunBriefShape'];
export type Kept = Schemas['RetentionShape'];
export type Keeping = Schemas['KeepingShape'];

/** An error as the server tells it: what was not possible and why, and the way out. */
export class Failure extends Error {
  constructor(
    message: string,
    readonly wayOut = '',
    readonly status = 0,
  ) {
    super(message);
  }
}

export function cookie(name: string): string {
  return document.cookie.match(new RegExp(`(?:^|; )${name}=([^;]*)`))?.[1] ?? '';
}

export const client = createClient<paths>({ baseUrl: '' });

client.use({
  onRequest({ request }) {
    if (request.method !== 'GET') request.headers.set('X-CSRFToken', cookie('csrftoken'));
    return request;
  },
});

interface Answer<T> {
  data?: T;
  error?: unknown;
  response: Response;
}

/** Waits for an answer and returns its data. Throws a Failure. */
export async function got<T>(answer: Promise<Answer<T>>): Promise<T> {
  let result: Answer<T>;
  try {
    result = await answer;
  } catch {
    throw new Failure('The application does not answer.', 'Check that it runs, then try again.');
  }
  if (result.data !== undefined && result.response.ok) return result.data;
  throw refusal(result.error, result.response);
}

/** Waits for an answer that holds no data. Throws a Failure. */
export async function done(answer: Promise<Answer<unknown>>): Promise<void> {
  const { error, response } = await answer;
  if (!response.ok) throw refusal(error, response);
}

/** What went wrong, as the server tells it where it does. */
export function refusal(told: unknown, response: Response): Failure {
  const { error, way_out } = (told ?? {}) as { error?: string; way_out?: string };
  return new Failure(
    error ?? `The application answered with ${response.status}.`,
    way_out ?? '',
    response.status,
  );
}
