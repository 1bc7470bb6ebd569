import type { AskSchedule, Schedule } from '$lib/api/client';

/** How a person says when something is done. */
export interface When {
  form: 'every' | 'hourly' | 'daily' | 'weekly' | 'monthly' | 'cron';
  minutes: number;
  clock: string;
  weekday: string;
  day: number;
  cron: string;
  zone: string;
}

export const WEEKDAYS = ['mon', 'tue', 'wed', 'thu', 'fri', 'sat', 'sun'];

export const FORMS: [When['form'], string][] = [
  ['every', 'every so many minutes'],
  ['hourly', 'every hour'],
  ['daily', 'every day'],
  ['weekly', 'every week'],
  ['monthly', 'every month'],
  ['cron', 'by a cron expression'],
];

/** The time zone of the person's clock. */
const own = (): string => Intl.DateTimeFormat().resolvedOptions().timeZone || 'UTC';

export function zones(): string[] {
  return ['UTC', ...Intl.supportedValuesOf('timeZone').filter((zone) => zone !== 'UTC')];
}

/** Reads when a schedule is due, so that it can be edited as it was made. */
export function whenOf(schedule: Schedule | undefined): When {
  const when: When = {
    form: 'daily',
    minutes: 10,
    clock: '02:15',
    weekday: 'sun',
    day: 1,
    cron: '15 2 * * *',
    zone: schedule?.zone ?? own(),
  };
  if (!schedule) return when;
  if (schedule.minutes != null) return { ...when, form: 'every', minutes: schedule.minutes };
  const cron = schedule.cron ?? '';
  const found = /^(\d+) (\d+|\*) (\*|\d+) \* (\*|[a-z]{3})$/.exec(cron);
  if (!found) return { ...when, form: 'cron', cron };
  const [, minute, hour, day, weekday] = found as unknown as string[];
  const clock = `${hour!.padStart(2, '0')}:${minute!.padStart(2, '0')}`;
  if (hour === '*')
    return day === '*' && weekday === '*'
      ? { ...when, form: 'hourly', clock: `00:${minute!.padStart(2, '0')}` }
      : { ...when, form: 'cron', cron };
  if (day !== '*' && weekday !== '*') return { ...when, form: 'cron', cron };
  if (day !== '*') return { ...when, form: 'monthly', clock, day: Number(day) };
  if (weekday !== '*') return { ...when, form: 'weekly', clock, weekday: weekday! };
  return { ...when, form: 'daily', clock };
}

/** Writes it as the server takes it. */
export function timingOf(when: When): Pick<AskSchedule, 'minutes' | 'cron' | 'zone'> {
  const [hour = 0, minute = 0] = when.clock.split(':').map(Number);
  const { zone } = when;
  if (when.form === 'every') return { minutes: when.minutes || 0, cron: '', zone };
  const cron = {
    hourly: `${minute} * * * *`,
    daily: `${minute} ${hour} * * *`,
    weekly: `${minute} ${hour} * * ${when.weekday}`,
    monthly: `${minute} ${hour} ${when.day} * *`,
    cron: when.cron,
  }[when.form];
  return { minutes: null, cron, zone };
}
