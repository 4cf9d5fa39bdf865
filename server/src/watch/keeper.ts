import { type Located, isEremosError, printable } from "@eremos/core";
import type { Note } from "../data-directory";
import type { Why } from "../contract";
import type { Eremos } from "../eremos";
import { causedBy } from "../ledger/cause";
import { whereIs } from "../look/where-is";
import { MINUTE_MS } from "../locking-rules";
import type { KnownOpen } from "./known-open";
import { say } from "@eremos/words/server/house";

const LOOK_EVERY_MS = 5000;
/** Clocks of file systems tick on their own; what lies further ahead was done before the clock was set back. */
const AHEAD_MS = MINUTE_MS;

/**
 * Locks what lies open when its time is up: after a while, when nobody has used it for a while, and at the next start
 * what a stop left open.
 */
export class Keeper {
  private timer: NodeJS.Timeout | null = null;
  private looking = false;
  /** Why the time of a folder is up, where it is not for its rules' minutes. */
  private readonly whys = new Map<string, Why>();

  /** `lock`: locks the folder at a path as it was locked before. */
  constructor(
    private readonly eremos: Eremos,
    private readonly lock: (path: Buffer) => Promise<unknown>,
    private readonly known: KnownOpen = eremos.knownOpen,
  ) {}

  /** Folders that were open when Eremos stopped, and should have locked then, are locked first (`afterStop`). */
  async start(afterStop = true): Promise<void> {
    if (afterStop)
      for (const note of this.eremos.data.notes())
        if (note.rules.atStop) {
          this.whys.set(note.id, "after-stop");
          this.eremos.ledger.renoted({ ...note, locksAt: this.known.clocks.wall() });
        }
    await this.look();
    this.timer = setInterval(() => void this.look(), LOOK_EVERY_MS);
  }

  stop(): void {
    if (this.timer) clearInterval(this.timer);
    this.timer = null;
  }

  async look(): Promise<void> {
    if (this.looking) return;
    this.looking = true;
    try {
      for (const note of this.eremos.data.notes()) await this.lookAt(note);
    } catch (error) {
      process.stderr.write(
        say("eremos-could-not-look-whether", { error: printable(error instanceof Error ? error.message : "unknown") }),
      );
    } finally {
      this.looking = false;
    }
  }

  /** The computer sleeps, or nobody sits at it: for those whose rules say so, the time is up now. */
  async lockBeforeAway(): Promise<void> {
    for (const note of this.eremos.data.notes()) {
      if (!note.rules.atSleep) continue;
      this.known.forget(note.id);
      this.whys.set(note.id, "asleep");
      this.eremos.ledger.renoted({ ...note, locksAt: Date.now(), staysUntil: 0 });
    }
    await this.look();
  }

  private async lookAt(note: Note): Promise<void> {
    const located = locate(this.eremos, note);
    if (!located || located.inspection.busy || located.inspection.state !== "open") {
      if (located && !located.inspection.busy) this.whys.delete(note.id);
      return this.known.forget(note.id);
    }
    if (this.known.isTriedAgainLater(note.id)) return;
    if (
      note.staysUntil > 0 &&
      !this.known.moments.hasCome(`${note.id} stays`, note.staysUntil, note.staysUntil - note.openedAt)
    )
      return;
    const isUp =
      note.locksAt !== null &&
      this.known.moments.hasCome(`${note.id} locks`, note.locksAt, note.locksAt - note.openedAt);
    const isLetGo = this.isLetGo(note, located);
    const isAsked = isLetGo && note.rules.atLetGo === "ask";
    if (this.known.asks(note.id, isAsked)) this.eremos.announce({ topic: "folders" });
    const isDone = isUp || (isLetGo && !isAsked);
    if (!isDone && !(await this.isIdle(note, located))) return this.wait(note.id, []);
    const holders = [...new Set(this.eremos.disk.holders(located.realPath).map(({ program }) => program))];
    if (holders.length > 0) return this.wait(note.id, holders);
    this.wait(note.id, []);
    const why = isUp ? (this.whys.get(note.id) ?? "time") : isLetGo && !isAsked ? "let-go" : "idle";
    await causedBy({ from: "itself", why }, () => this.lockNow(note, located));
  }

  /** Programs had files of it open, and none has any more, for as long as its rules say. */
  private isLetGo({ id, rules }: Note, { realPath }: Located): boolean {
    if (rules.letGoSeconds === null) return false;
    const letGoMs = this.known.letGoFor(id, this.eremos.disk.holders(realPath).length > 0);
    return letGoMs !== null && letGoMs >= rules.letGoSeconds * 1000;
  }

  /** No change and no program holding its files for as long as its rules say. One walk in that time. */
  private async isIdle(note: Note, { realPath }: Located): Promise<boolean> {
    const { idleMinutes } = note.rules;
    if (idleMinutes === null) return false;
    const idleMs = idleMinutes * MINUTE_MS;
    const { moments, clocks } = this.known;
    if (!moments.hasCome(`${note.id} quiet`, this.known.quietSince(note, idleMs), idleMs)) return false;
    const lastUsed =
      this.eremos.disk.holders(realPath).length > 0
        ? clocks.wall()
        : await this.eremos.run<"last-change">({ verb: "last-change", input: { path: realPath } });
    const until = Math.max(lastUsed, note.openedAt) + idleMs;
    this.known.isQuietUntil(note.id, until);
    this.eremos.announce({ topic: "folders" });
    // What was done before the clock was set back lies ahead, and is as long ago as the clock that never goes back
    // tells.
    return clocks.wall() >= until || lastUsed > clocks.wall() + AHEAD_MS;
  }

  private async lockNow(note: Note, { realPath }: Located): Promise<void> {
    try {
      await this.lock(realPath);
      this.known.forget(note.id);
      this.whys.delete(note.id);
    } catch (error) {
      if (!isEremosError(error)) throw error;
      this.known.couldNotBeLocked(note.id, error);
      this.eremos.announce({ topic: "folders" });
    }
  }

  private wait(id: string, programs: readonly string[]): void {
    if (this.known.waitsFor(id, programs)) this.eremos.announce({ topic: "folders" });
  }
}

function locate(eremos: Eremos, note: Note): Located | null {
  try {
    return whereIs(eremos, note);
  } catch (error) {
    if (isEremosError(error)) return null;
    throw error;
  }
}
