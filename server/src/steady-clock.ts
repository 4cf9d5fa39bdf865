/**
 * The wall clock can be set back; a folder is not to lie open longer for it, nor a session last longer. What matters is
 * counted by a clock that never goes back as well, and the earlier of the two holds; the wall clock alone counts the
 * time that the computer slept.
 */
export interface Clocks {
  /** Milliseconds since 1970. */
  readonly wall: () => number;
  /** Milliseconds that never go back, of this process alone. */
  readonly steady: () => number;
}

export const CLOCKS: Clocks = { wall: () => Date.now(), steady: () => performance.now() };

/** How long ago something was. */
export class Since {
  private readonly wall: number;
  private readonly steady: number;

  constructor(private readonly clocks: Clocks = CLOCKS) {
    this.wall = clocks.wall();
    this.steady = clocks.steady();
  }

  /** Milliseconds. */
  get ms(): number {
    return Math.max(this.clocks.wall() - this.wall, this.clocks.steady() - this.steady);
  }
}

/** Moments that were set by the wall clock, each under a name of its own. */
export class Moments {
  private readonly seen = new Map<string, { readonly at: number; readonly steady: number }>();

  constructor(private readonly clocks: Clocks) {}

  /**
   * Whether it has come. `mostMs`: it was not further away than that when it was set, whatever the wall clock says now.
   */
  hasCome(name: string, at: number, mostMs: number): boolean {
    const { wall, steady } = this.clocks;
    const known = this.seen.get(name);
    const its = known?.at === at ? known : { at, steady: steady() + Math.max(0, Math.min(at - wall(), mostMs)) };
    this.seen.set(name, its);
    return wall() >= at || steady() >= its.steady;
  }

  forget(name: string): void {
    this.seen.delete(name);
  }
}
