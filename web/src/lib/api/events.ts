import { queryClient } from './queries';

/** Listens to what the server tells and lets stale answers be asked for again. */
export function listen(): () => void {
  const source = new EventSource('/api/events');
  source.onmessage = (event) => {
    const told = JSON.parse(event.data as string) as { kind: string; id: number; system: number };
    if (told.kind === 'journal' || told.kind === 'run') {
      void queryClient.invalidateQueries({ queryKey: ['run', told.id] });
      void queryClient.invalidateQueries({ queryKey: ['runs'] });
    }
    // a step changes nothing of what is told of its system; the end of its run does
    if (told.kind === 'journal') return;
    void queryClient.invalidateQueries({ queryKey: ['systems'] });
    void queryClient.invalidateQueries({ queryKey: ['attention'] });
    if (told.kind === 'work') void queryClient.invalidateQueries({ queryKey: ['work', told.id] });
    if (told.kind !== 'run') {
      for (const key of ['backups', 'schedules', 'retention', 'standing'])
        void queryClient.invalidateQueries({ queryKey: [key] });
    }
  };
  return () => source.close();
}
