const TICKED = new Set(['checkbox', 'radio', 'range', 'button', 'submit']);

/** Whether keys pressed in an element are meant for it: it takes text, or it is a dialog. */
export function takesKeys(target: EventTarget | null): boolean {
  if (!(target instanceof HTMLElement)) return false;
  if (target.closest('[role=dialog], textarea, select')) return true;
  const input = target.closest('input');
  return input !== null && !TICKED.has(input.type);
}
