import { randomUUID } from "node:crypto";
import { type HiddenFound, type ScriptLock, findHidden, fromSystemError } from "@eremos/core";
import type { HiddenView } from "../contract";
import type { Eremos } from "../eremos";

export interface HiddenState extends Omit<HiddenView, "found" | "scripts" | "brought"> {
  readonly found: readonly (HiddenFound & { readonly id: string })[];
  readonly scripts: readonly (ScriptLock & { readonly id: string })[];
}

const NOTHING: HiddenState = { isRunning: false, isStopped: false, endedAt: null, directories: 0, at: "", found: [], scripts: [], unreadable: [], error: null };
const TELL_EVERY_MS = 300;
/** More than this nobody reads; a narrower place shows the rest. */
const MOST_FOUND = 2000;

/** Looks for what is hidden by other means than Eremos, one search at a time; what it found stays until the next. */
export class HiddenFinder {
  state: HiddenState = NOTHING;
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
    const { directories, unreadable, isStopped } = await findHidden({
      places, isStopped: () => this.isAskedToStop || this.state.found.length >= MOST_FOUND,
      onFound: (one) => void (this.state = { ...this.state, found: [...this.state.found, { ...one, id: randomUUID() }] }),
      onScript: (one) => void (this.state = { ...this.state, scripts: [...this.state.scripts, { ...one, id: randomUUID() }] }),
      onProgress: ({ directories: count, at }) => {
        this.state = { ...this.state, directories: count, at };
        if (Date.now() - toldAt < TELL_EVERY_MS) return;
        toldAt = Date.now();
        this.show({});
      },
    });
    this.show({ isRunning: false, isStopped, endedAt: Date.now(), directories, unreadable, at: "" });
  }

  show(change: Partial<HiddenState>): void {
    this.state = { ...this.state, ...change };
    this.eremos.announce({ topic: "scan" });
  }

  stop(): void {
    this.isAskedToStop = true;
  }
}
