const day = 86_400_000;

/** "3 min ago", "yesterday 02:00", "Mon 2 Nov, 02:00". */
export function ago(iso: string, now = Date.now()): string {
  const then = new Date(iso);
  const past = now - then.getTime();
  if (past < 45_000) return 'just now';
  if (past < 3_600_000) return `${Math.max(1, Math.round(past / 60_000))} min ago`;
  if (past < 12 * 3_600_000) return `${Math.round(past / 3_600_000)} h ago`;
  const time = then.toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit' });
  if (past < 2 * day) {
    const yesterday = new Date(now - day).toDateString() === then.toDateString();
    if (yesterday) return `yesterday ${time}`;
    if (new Date(now).toDateString() === then.toDateString()) return `today ${time}`;
  }
  return `${shortDay(iso)}, ${time}`;
}

/** How long something has been so at least: "20 min", "9 h", "3 days". */
export function lasting(iso: string, now = Date.now()): string {
  const past = Math.max(0, now - new Date(iso).getTime());
  if (past < 60_000) return 'just seen';
  if (past < 90 * 60_000) return `${Math.round(past / 60_000)} min`;
  if (past < 2 * day) return `${Math.round(past / 3_600_000)} h`;
  return `${Math.floor(past / day)} days`;
}

export function shortDay(iso: string): string {
  return new Date(iso).toLocaleDateString('en-GB', {
    weekday: 'short',
    day: 'numeric',
    month: 'short',
  });
}

interface Since {
  record: { taken_at: string } | null;
  after: { taken_at: string } | null;
}

/** "has been so since the backup of Mon 2 Nov", "became so after the backup of yesterday 02:00". */
export function sinceWhen({ record, after }: Since, now = Date.now()): string {
  if (record) return `has been so since the backup of ${ago(record.taken_at, now)}`;
  return after ? `became so after the backup of ${ago(after.taken_at, now)}` : '';
}

/** "in 4 min", "in 5 h", "today 23:15", "Mon 2 Nov, 02:00". */
export function until(iso: string, now = Date.now()): string {
  const then = new Date(iso);
  const left = then.getTime() - now;
  if (left < 60_000) return 'within a minute';
  if (left < 3_600_000) return `in ${Math.round(left / 60_000)} min`;
  if (left < 12 * 3_600_000) return `in ${Math.round(left / 3_600_000)} h`;
  const time = then.toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit' });
  if (new Date(now + day).toDateString() === then.toDateString()) return `tomorrow ${time}`;
  return `${shortDay(iso)}, ${time}`;
}

/** "3 s", "12 min", "2 h". */
export function span(seconds: number): string {
  if (seconds < 90) return `${Math.max(1, Math.round(seconds))} s`;
  return seconds < 5400 ? `${Math.round(seconds / 60)} min` : `${Math.round(seconds / 3600)} h`;
}

export function exact(iso: string): string {
  return new Date(iso).toLocaleString('en-GB', { dateStyle: 'full', timeStyle: 'medium' });
}

export function bytes(size: number): string {
  if (size < 1024) return `${size} B`;
  if (size < 1024 * 1024) return `${(size / 1024).toFixed(size < 10240 ? 1 : 0)} KiB`;
  if (size < 1024 ** 3) return `${(size / 1024 / 1024).toFixed(1)} MiB`;
  return `${(size / 1024 ** 3).toFixed(1)} GiB`;
}
