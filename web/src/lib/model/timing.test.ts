import { describe, expect, it } from 'vitest';
import type { Schedule } from '$lib/api/client';
import { timingOf, whenOf, type When } from './timing';

const made = (when: Partial<When>): Schedule =>
  timingOf({ ...whenOf(undefined), zone: 'Europe/Oslo', ...when }) as Schedule;

describe('when a schedule is due', () => {
  it.each([
    [{ form: 'every', minutes: 45 }, null],
    [{ form: 'hourly', clock: '00:05' }, '5 * * * *'],
    [{ form: 'daily', clock: '02:15' }, '15 2 * * *'],
    [{ form: 'weekly', clock: '23:00', weekday: 'wed' }, '0 23 * * wed'],
    [{ form: 'monthly', clock: '04:30', day: 28 }, '30 4 28 * *'],
    [{ form: 'cron', cron: '*/7 1-3 * * *' }, '*/7 1-3 * * *'],
  ] as [Partial<When>, string | null][])('is written and read again: %o', (when, cron) => {
    const schedule = made(when);
    if (cron) expect(schedule.cron).toBe(cron);
    else expect(schedule.minutes).toBe(45);
    expect(whenOf(schedule)).toMatchObject({ ...when, zone: 'Europe/Oslo' });
  });

  it('leaves an expression that no form can say as it is', () => {
    for (const cron of ['0 3 1 * mon', '5 * 1 * *', '1,2 3 * * *'])
      expect(whenOf({ cron, minutes: null, zone: 'UTC' } as Schedule)).toMatchObject({
        form: 'cron',
        cron,
      });
  });
});
