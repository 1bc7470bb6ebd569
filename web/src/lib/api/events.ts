import { queryClient } from './cache';
import { askAgain } from './stale';

/** Listens to what the server tells and lets stale answers be asked for again. */
export function listen(): () => void {
  const source = new EventSource('/api/v1/events');
  let lost = false;
  source.onerror = () => (lost = true);
  source.onopen = () => {
    // what was told while nobody listened is not told again
    if (lost) void queryClient.invalidateQueries();
    lost = false;
  };
  source.onmessage = (event) => {
    const told = JSON.parse(event.data as string) as { kind: string; id: number; system: number };
    if (told.kind === 'journal' || told.kind === 'run') {
      // the beginning and the end of a run concern the one that it takes back too
      void askAgain(queryClient, told.kind === 'run' ? ['run'] : ['run', told.id]);
      void askAgain(queryClient, ['runs']);
    }
    // a step changes nothing of what is told of its system; the end of its run does
    if (told.kind === 'journal') return;
    void askAgain(queryClient, ['systems']);
    void askAgain(queryClient, ['attention']);
    if (told.kind === 'work') void askAgain(queryClient, ['work', told.id]);
    if (told.kind !== 'run') {
      for (const key of ['backups', 'schedules', 'retention', 'standing'])
        void askAgain(queryClient, [key]);
    }
  };
  return () => source.close();
}
