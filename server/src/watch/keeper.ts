import { type EremosError, type Located, isEremosError, locateFolder, printable } from "@eremos/core";
import type { Note } from "../data-directory";
import type { Eremos } from "../eremos";
import { MINUTE_MS } from "../locking-rules";
import { lock } from "../operations/lock-folder";
import { decodePath } from "../operations/paths";
import { AS_BEFORE } from "../protection";

const LOOK_EVERY_MS = 5000;

/** Locks what lies open when its time is up: after a while, when nobody has used it for a while, and at the next start what a stop left open. */
export class Keeper {
  /** Folders whose time is up, and the programs that still hold files of them. */
  private readonly waiting = new Map<string, readonly string[]>();
  /** When to look again whether a folder is idle. */
  private readonly quietUntil = new Map<string, number>();
  /** Why a folder could not be locked, and when it is tried again. */
  private readonly failed = new Map<string, { readonly error: EremosError; readonly until: number }>();
  private timer: NodeJS.Timeout | null = null;
  private looking = false;

  constructor(
    private readonly eremos: Eremos,
    private readonly now: () => number = Date.now,
  ) {}

  /** Folders that were open when Eremos stopped, and should have locked then, are locked first (`afterStop`). */
  async start(afterStop = true): Promise<void> {
    if (afterStop)
      for (const note of this.eremos.data.notes())
        if (note.rules.atStop) this.eremos.data.writeNote({ ...note, locksAt: this.now() });
    await this.look();
    this.timer = setInterval(() => void this.look(), LOOK_EVERY_MS);
  }

  stop(): void {
    if (this.timer) clearInterval(this.timer);
    this.timer = null;
  }

  programsHolding(id: string): readonly string[] {
    return this.waiting.get(id) ?? [];
  }

  whyNotLocked(id: string): string | null {
    return this.failed.get(id)?.error.message ?? null;
  }

  /** When an open folder locks by itself, as far as that is known now. */
  locksAt(note: Note): number | null {
    const { idleMinutes } = note.rules;
    const idle =
      idleMinutes === null ? null : (this.quietUntil.get(note.id) ?? note.openedAt + idleMinutes * MINUTE_MS);
    const first = note.locksAt !== null && idle !== null ? Math.min(note.locksAt, idle) : (note.locksAt ?? idle);
    return first === null ? null : Math.max(first, note.staysUntil);
  }

  async look(): Promise<void> {
    if (this.looking) return;
    this.looking = true;
    try {
      for (const note of this.eremos.data.notes()) await this.lookAt(note);
    } catch (error) {
      process.stderr.write(
        `Eremos could not look whether folders are to be locked: ${printable(error instanceof Error ? error.message : "unknown")}\n`,
      );
    } finally {
      this.looking = false;
    }
  }

  private async lookAt(note: Note): Promise<void> {
    const located = locate(this.eremos, note);
    if (!located || located.inspection.busy || located.inspection.state !== "open") return this.forget(note.id);
    if (Math.max(this.failed.get(note.id)?.until ?? 0, note.staysUntil) > this.now()) return;
    const isUp = note.locksAt !== null && this.now() >= note.locksAt;
    if (!isUp && !(await this.isIdle(note, located))) return this.wait(note.id, []);
    const holders = [...new Set(this.eremos.disk.holders(located.realPath).map(({ program }) => program))];
    if (holders.length > 0) return this.wait(note.id, holders);
    this.wait(note.id, []);
    await this.lock(note, located);
  }

  /** No change and no program holding its files for as long as its rules say. One walk in that time. */
  private async isIdle(note: Note, { realPath }: Located): Promise<boolean> {
    const { idleMinutes } = note.rules;
    if (idleMinutes === null) return false;
    const idleMs = idleMinutes * MINUTE_MS;
    if (this.now() < (this.quietUntil.get(note.id) ?? note.openedAt + idleMs)) return false;
    const lastUsed =
      this.eremos.disk.holders(realPath).length > 0
        ? this.now()
        : await this.eremos.run<"last-change">({ verb: "last-change", input: { path: realPath } });
    const until = Math.max(lastUsed, note.openedAt) + idleMs;
    this.quietUntil.set(note.id, until);
    this.eremos.announce({ topic: "folders" });
    return this.now() >= until;
  }

  private async lock(note: Note, { realPath }: Located): Promise<void> {
    try {
      await lock(this.eremos, { path: realPath, protection: AS_BEFORE, inUseAnyway: false, from: "/" }).outcome;
      this.forget(note.id);
    } catch (error) {
      if (!isEremosError(error)) throw error;
      this.failed.set(note.id, { error, until: this.now() + MINUTE_MS });
      this.eremos.announce({ topic: "folders" });
    }
  }

  private wait(id: string, programs: readonly string[]): void {
    const before = this.programsHolding(id).join();
    if (programs.length > 0) this.waiting.set(id, programs);
    else this.waiting.delete(id);
    if (before !== programs.join()) this.eremos.announce({ topic: "folders" });
  }

  /** What is known of a folder's quiet is void: it locked, or its time was changed. */
  forget(id: string): void {
    for (const map of [this.waiting, this.quietUntil, this.failed]) map.delete(id);
  }
}

function locate(eremos: Eremos, note: Note): Located | null {
  try {
    return locateFolder(eremos.disk, decodePath(note.path), note.id);
  } catch (error) {
    if (isEremosError(error)) return null;
    throw error;
  }
}
