import { type ScanFound, fromSystemError, scan } from "@eremos/core";
import type { Eremos } from "../eremos";

export interface FinderState {
  readonly isRunning: boolean;
  readonly isStopped: boolean;
  /** When it ended; null: it never ran, or runs. */
  readonly endedAt: number | null;
  readonly directories: number;
  /** Where it is looking now. */
  readonly at: string;
  readonly found: readonly ScanFound[];
  /** Directories that could not be looked into. */
  readonly unreadable: readonly string[];
  /** Why it could not go on. */
  readonly error: string | null;
}

const NOTHING: FinderState = { isRunning: false, isStopped: false, endedAt: null, directories: 0, at: "", found: [], unreadable: [], error: null };
const TELL_EVERY_MS = 300;

/** Looks for protected folders on this disk, one search at a time; what it found stays until the next. */
export class Finder {
  state: FinderState = NOTHING;
  private isAskedToStop = false;
  /** Of the last search. */
  ended: Promise<void> = Promise.resolve();

  constructor(private readonly eremos: Eremos) {}

  /** Does nothing while it runs. */
  start(places: readonly Buffer[]): void {
    if (this.state.isRunning) return;
    this.isAskedToStop = false;
    this.state = { ...NOTHING, isRunning: true };
    this.ended = this.run(places).catch((error: unknown) => this.show({ isRunning: false, endedAt: Date.now(), error: fromSystemError(error, "looking").message }));
  }

  private async run(places: readonly Buffer[]): Promise<void> {
    let toldAt = 0;
    const { directories, unreadable, isStopped } = await scan({
      places, isStopped: () => this.isAskedToStop,
      onFound: (one) => this.show({ found: [...this.state.found, one] }),
      onProgress: ({ directories: count, at }) => {
        this.state = { ...this.state, directories: count, at };
        if (Date.now() - toldAt < TELL_EVERY_MS) return;
        toldAt = Date.now();
        this.show({});
      },
    });
    this.show({ isRunning: false, isStopped, endedAt: Date.now(), directories, unreadable, at: "" });
  }

  private show(change: Partial<FinderState>): void {
    this.state = { ...this.state, ...change };
    this.eremos.announce({ topic: "scan" });
  }

  stop(): void {
    this.isAskedToStop = true;
  }
}
