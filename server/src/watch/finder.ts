import { type ScanFound, fromSystemError, scan } from "@eremos/core";
import type { ScanView } from "../contract";
import type { Eremos } from "../eremos";

/** As the page is told of it; what was found is told with how it stands to the list. */
export type FinderState = Omit<ScanView, "found"> & { readonly found: readonly ScanFound[] };

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
