import { fromSystemError } from "@eremos/core";
import type { ScanView } from "../contract";
import { said } from "@eremos/words/server/house";

/** What every search of the disk tells while it goes on; what was found is added by each. */
export type SearchState = Omit<ScanView, "found" | "more">;

export const NOT_BEGUN: SearchState = {
  isRunning: false,
  isStopped: false,
  endedAt: null,
  directories: 0,
  at: "",
  unreadable: [],
  error: null,
};
const TELL_EVERY_MS = 300;

/** How a search speaks with whoever runs it, and how it ends. */
export interface Searching {
  readonly places: readonly Buffer[];
  readonly isStopped: () => boolean;
  readonly onProgress: (progress: { readonly directories: number; readonly at: string }) => void;
}
export type SearchEnd = Pick<ScanView, "directories" | "unreadable" | "isStopped">;

/** Looks through the disk, one search at a time; what it found stays until the next. */
export abstract class Search<S extends SearchState> {
  state: S;
  private isAskedToStop = false;
  private toldAt = 0;
  /** Of the last search. */
  ended: Promise<void> = Promise.resolve();

  constructor(
    private readonly announce: () => void,
    private readonly nothing: S,
  ) {
    this.state = nothing;
  }

  protected abstract look(searching: Searching): Promise<SearchEnd>;

  /** Does nothing while it runs. */
  start(places: readonly Buffer[]): void {
    if (this.state.isRunning) return;
    this.isAskedToStop = false;
    this.state = { ...this.nothing, isRunning: true };
    this.ended = this.run(places).catch((error: unknown) =>
      this.show({ isRunning: false, endedAt: Date.now(), error: fromSystemError(error, said("looking")).message }),
    );
  }

  private async run(places: readonly Buffer[]): Promise<void> {
    const { directories, unreadable, isStopped } = await this.look({
      places,
      isStopped: () => this.isAskedToStop,
      onProgress: (progress) => {
        this.state = { ...this.state, ...progress };
        if (Date.now() - this.toldAt < TELL_EVERY_MS) return;
        this.toldAt = Date.now();
        this.show({});
      },
    });
    this.show({ isRunning: false, isStopped, endedAt: Date.now(), directories, unreadable, at: "" });
  }

  show(change: Partial<S> | Partial<SearchState>): void {
    this.state = { ...this.state, ...change };
    this.announce();
  }

  stop(): void {
    this.isAskedToStop = true;
  }
}
