/** Where the keyboard is to be on a view: its tree, or where it has none, all of it. */
export const contentOfView = (): HTMLElement | null =>
  document.querySelector<HTMLElement>('[role=tree]') ?? document.querySelector('main');

/**
 * Gives focus back to what had it before, when a dialog closes; to the tree where that has gone.
 * The two handlers are for the content of the dialog.
 */
export function givesFocusBack(): {
  onOpenAutoFocus: (event: Event) => void;
  onCloseAutoFocus: (event: Event) => void;
} {
  let before: Element | null = null;
  return {
    onOpenAutoFocus: () => (before = document.activeElement),
    onCloseAutoFocus: (event) => {
      const back = before?.isConnected && before !== document.body ? before : contentOfView();
      if (!(back instanceof HTMLElement)) return;
      event.preventDefault();
      back.focus();
    },
  };
}
