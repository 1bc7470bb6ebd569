/** How wide a pane is, in CSS px, as the person left it; null where nobody changed it. */
export class Pane {
  private readonly place: string;
  width = $state<number | null>(null);

  constructor(
    name: string,
    readonly least: number,
    readonly most: number,
  ) {
    this.place = `pane ${name}`;
    const kept = Number(localStorage.getItem(this.place));
    if (kept) this.width = this.within(kept);
  }

  private within(width: number): number {
    return Math.round(Math.max(this.least, Math.min(this.most, width)));
  }

  set(width: number): void {
    this.width = this.within(width);
    localStorage.setItem(this.place, String(this.width));
  }

  /** Makes it as wide as it is for everybody. */
  reset(): void {
    this.width = null;
    localStorage.removeItem(this.place);
  }
}

export const treeWidth = new Pane('tree', 180, 640);
export const trayWidth = new Pane('tray', 200, 520);
