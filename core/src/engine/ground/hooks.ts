import { EremosError } from "../../errors/eremos-error";
import { said } from "@eremos/words/core/ground";

export type Phase =
  "looking" | "sealing" | "making-durable" | "moving" | "overwriting" | "removing" | "restoring" | "checking";

export interface Progress {
  readonly phase: Phase;
  readonly files: number;
  readonly filesTotal: number;
  readonly bytes: number;
  readonly bytesTotal: number;
}

/** How a running verb speaks with whoever started it. */
export interface Hooks {
  progress(progress: Progress): void;
  /** Asked between steps; true asks the verb to stop and put everything back. */
  cancelled(): boolean;
}

const REPORT_EVERY_MS = 80;

export const silentHooks: Hooks = { progress: () => undefined, cancelled: () => false };

/** Counts work, reports it at most once in {@link REPORT_EVERY_MS}, and stops when asked to. */
export class Meter {
  private files = 0;
  private bytes = 0;
  private reportedAt = 0;
  /** Entries whose special rights were not given back, because their owner or group could not be. */
  withheld = 0;

  constructor(
    private readonly hooks: Hooks,
    private readonly phase: Phase,
    private readonly filesTotal: number,
    private readonly bytesTotal: number,
  ) {
    this.report();
  }

  add(files: number, bytes: number): void {
    this.bytes += bytes;
    this.stopIfCancelled();
    this.count(files);
  }

  /** As {@link add}, of what is not stopped in the middle. */
  count(files: number): void {
    this.files += files;
    const now = performance.now();
    if (now - this.reportedAt > REPORT_EVERY_MS) this.report(now);
  }

  /** As {@link count}, of bytes. */
  countBytes(bytes: number): void {
    this.bytes += bytes;
    this.count(0);
  }

  stopIfCancelled(): void {
    if (this.hooks.cancelled()) throw new EremosError("cancelled", said("stopped-as-you-asked-everything"));
  }

  report(now = performance.now()): void {
    this.reportedAt = now;
    this.hooks.progress({
      phase: this.phase,
      files: this.files,
      filesTotal: this.filesTotal,
      bytes: this.bytes,
      bytesTotal: this.bytesTotal,
    });
  }
}
