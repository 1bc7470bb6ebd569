import type { retention } from '$lib/api/practice';

/** What a policy does with the backups of a system. */
export type Kept = Awaited<ReturnType<ReturnType<typeof retention>['queryFn']>>;
