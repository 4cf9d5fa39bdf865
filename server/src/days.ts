import { CLOCKS, type Clocks } from "./steady-clock";

export interface CountedDays {
  readonly days: number;
  /** When they were counted last, in milliseconds since 1970. */
  readonly at: number;
}

/** Where they are kept. What can't be written is counted again: nothing goes earlier for it. */
export interface DaysKept {
  countedDays(): CountedDays | null;
  writeCountedDays(days: CountedDays): void;
}

const DAY_MS = 24 * 3600 * 1000;

/**
 * Days as Eremos counts them, for what is kept for so many of them: a clock that jumps ahead never makes them fewer than
 * promised. Between two looks of a process at most the time passes that its steady clock counted; between two processes
 * at most a day. So a computer that is off for a week counts one day of it: things are kept longer then, never shorter.
 */
export class Days {
  private steadyAt: number | null = null;

  constructor(
    private readonly kept: DaysKept,
    private readonly clocks: Clocks = CLOCKS,
  ) {}

  /** Days until now, from when the first look was. */
  now(): number {
    const now = this.peek();
    this.steadyAt = this.clocks.steady();
    this.kept.writeCountedDays({ days: now, at: this.clocks.wall() });
    return now;
  }

  /** The same, without counting any further. */
  peek(): number {
    const { days, at } = this.kept.countedDays() ?? { days: 0, at: this.clocks.wall() };
    const most = this.steadyAt === null ? DAY_MS : this.clocks.steady() - this.steadyAt;
    return days + Math.max(0, Math.min(this.clocks.wall() - at, most)) / DAY_MS;
  }
}
