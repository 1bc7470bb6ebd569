/** Moves the keyboard to the first pick on the bench, or on from the one where it is. */
export function nextPick(bench: HTMLElement | undefined, by: -1 | 0 | 1): boolean {
  const picks = [...(bench?.querySelectorAll<HTMLElement>('[role=switch]') ?? [])];
  const at = picks.findIndex((one) => one === document.activeElement);
  if (by && at < 0) return false;
  const shown = () =>
    [...(bench?.querySelectorAll('button') ?? [])].find((one) => one.checkVisibility());
  const next = by ? picks[at + by] : (picks[0] ?? shown());
  next?.focus();
  return true;
}

/** Does what a key means on the bench; false where it means nothing there. */
export function keyOnBench(
  bench: HTMLElement | undefined,
  key: string,
  leave: () => void,
): boolean {
  if (!bench?.contains(document.activeElement)) return false;
  if (key === 'Escape') leave();
  else if (key === 'ArrowDown') return nextPick(bench, 1);
  else if (key === 'ArrowUp') return nextPick(bench, -1);
  else return false;
  return true;
}
