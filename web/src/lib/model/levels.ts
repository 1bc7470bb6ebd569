/** What is told where so urgent things, and more urgent ones, are. */
export const LEVELS = {
  stop: 'only what failed or stands still',
  unknown: 'also what is not known',
  confirm: 'also what somebody should look at',
  note: 'everything',
} as const;
