import { isEremosError } from "@eremos/core";

const LOOK_EVERY_MS = 60_000;

/** Whose turn it is, and what is done then. */
export interface Turns {
  /** The id of the folder that is to be checked now; null: none, or something else is being done. */
  readonly due: (now: number) => string | null;
  readonly check: (id: string) => Promise<unknown>;
}

/** Looks at a sample of each sealed folder when its turn has come, one after the other. */
export class CheckWatch {
  private timer: NodeJS.Timeout | null = null;
  private isLooking = false;

  constructor(
    private readonly turns: Turns,
    private readonly now: () => number = Date.now,
  ) {}

  start(): void {
    this.timer = setInterval(() => void this.look(), LOOK_EVERY_MS);
    this.timer.unref();
  }

  stop(): void {
    if (this.timer) clearInterval(this.timer);
    this.timer = null;
  }

  /** The folder whose turn it is is checked. Returns whether there was one. */
  async look(): Promise<boolean> {
    if (this.isLooking) return false;
    this.isLooking = true;
    try {
      const due = this.turns.due(this.now());
      if (due !== null) await this.turns.check(due);
      return due !== null;
    } catch (error) {
      // Signed out meanwhile, or something else works on it: the next look finds it again.
      if (!isEremosError(error)) throw error;
      return false;
    } finally {
      this.isLooking = false;
    }
  }
}
