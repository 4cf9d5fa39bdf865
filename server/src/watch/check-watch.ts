import { isEremosError } from "@eremos/core";
import type { Eremos } from "../eremos";
import { check } from "../operations/check";
import { locateRecord } from "../operations/follow-drives";
import { waysOf } from "../operations/folder-password";

const DAY_MS = 24 * 60 * 60 * 1000;
const LOOK_EVERY_MS = 60_000;

/**
 * Looks at a sample of each sealed folder, as often as the owner wants, while somebody is signed in and nothing else is being done. A folder with a
 * password of its own waits for its owner.
 */
export class CheckWatch {
  private timer: NodeJS.Timeout | null = null;
  private isLooking = false;

  constructor(
    private readonly eremos: Eremos,
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
    if (this.isLooking || this.eremos.jobs.busy) return false;
    this.isLooking = true;
    try {
      const due = this.due();
      if (due !== null) await (await check(this.eremos, { pathOrId: due, from: "/", sample: true })).outcome;
      return due !== null;
    } catch (error) {
      // Signed out meanwhile, or something else works on it: the next look finds it again.
      if (!isEremosError(error)) throw error;
      return false;
    } finally {
      this.isLooking = false;
    }
  }

  private due(): string | null {
    const { keys } = this.eremos;
    const { checkEveryDays } = this.eremos.preferences.get();
    if (!keys || checkEveryDays === 0) return null;
    const before = this.now() - checkEveryDays * DAY_MS;
    const waiting = this.eremos.registry
      .list(keys)
      .filter(
        (record) =>
          record.guard === "sealed" &&
          (record.lastCheck?.at ?? record.protectedAt) < before &&
          !waysOf(this.eremos, record)?.hasPassword,
      );
    return (
      waiting.sort((a, b) => (a.lastCheck?.at ?? 0) - (b.lastCheck?.at ?? 0)).find((record) => this.isLocked(record))
        ?.id ?? null
    );
  }

  private isLocked(record: Parameters<typeof locateRecord>[1]): boolean {
    try {
      return locateRecord(this.eremos, record).located?.inspection.state === "sealed";
    } catch (error) {
      if (isEremosError(error)) return false;
      throw error;
    }
  }
}
