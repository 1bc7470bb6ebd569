import type { Path } from './paths';

/** A backup or a look that somebody asked for, and of which branch. */
export interface AskedFor {
  number: number;
  kind: 'backup' | 'look' | 'verify';
  at: Path;
}
