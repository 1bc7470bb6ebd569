/** A file that was dropped on the window, until the view that opens it has taken it up. */
class Dropped {
  waiting = $state<File>();

  take(): File | undefined {
    const found = this.waiting;
    this.waiting = undefined;
    return found;
  }
}

export const dropped = new Dropped();
