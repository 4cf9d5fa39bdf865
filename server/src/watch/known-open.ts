import type { EremosError } from "@eremos/core";
import type { Note } from "../data-directory";
import { MINUTE_MS } from "../locking-rules";
import { CLOCKS, type Clocks, Moments } from "../steady-clock";

/** What is known of the folders that lie open, for whoever asks when they lock, and why they have not yet. */
export class KnownOpen {
  /** Folders whose time is up, and the programs that still hold files of them. */
  private readonly waiting = new Map<string, readonly string[]>();
  /** When to look again whether a folder is idle. */
  private readonly quietUntil = new Map<string, number>();
  /** Why a folder could not be locked, and when it is tried again, by the clock that never goes back. */
  private readonly failed = new Map<string, { readonly error: EremosError; readonly until: number }>();
  /** When a program was last seen to hold files of it, by the clock that never goes back. */
  private readonly heldAt = new Map<string, number>();
  /** Folders that no program uses any more, whose owner wants to be asked then. */
  private readonly asked = new Set<string>();
  readonly moments: Moments;
  /** Hears of each whose time is up and that waits for programs, and with none that it does not any more. */
  onWaiting: (id: string, programs: readonly string[]) => void = () => undefined;

  constructor(readonly clocks: Clocks = CLOCKS) {
    this.moments = new Moments(clocks);
  }

  programsHolding(id: string): readonly string[] {
    return this.waiting.get(id) ?? [];
  }

  whyNotLocked(id: string): string | null {
    return this.failed.get(id)?.error.message ?? null;
  }

  /** When its last use would make it idle. */
  quietSince(note: Note, idleMs: number): number {
    return this.quietUntil.get(note.id) ?? note.openedAt + idleMs;
  }

  /** When an open folder locks by itself, as far as that is known now. */
  locksAt(note: Note): number | null {
    const { idleMinutes } = note.rules;
    const idle = idleMinutes === null ? null : this.quietSince(note, idleMinutes * MINUTE_MS);
    const first = note.locksAt !== null && idle !== null ? Math.min(note.locksAt, idle) : (note.locksAt ?? idle);
    return first === null ? null : Math.max(first, note.staysUntil);
  }

  /** Nobody has used it until then. */
  isQuietUntil(id: string, until: number): void {
    this.quietUntil.set(id, until);
    this.moments.forget(`${id} quiet`);
  }

  /** Whether other programs are waited for has changed. */
  waitsFor(id: string, programs: readonly string[]): boolean {
    const before = this.programsHolding(id).join();
    if (programs.length > 0) this.waiting.set(id, programs);
    else this.waiting.delete(id);
    const hasChanged = before !== programs.join();
    if (hasChanged) this.onWaiting(id, programs);
    return hasChanged;
  }

  /** How long nobody holds files of it any more; null: somebody does, or never did. Milliseconds. */
  letGoFor(id: string, isHeld: boolean): number | null {
    if (isHeld) this.heldAt.set(id, this.clocks.steady());
    const at = this.heldAt.get(id);
    return isHeld || at === undefined ? null : this.clocks.steady() - at;
  }

  /** Whether its owner is to be asked, since no program uses it any more; and whether that has changed. */
  asks(id: string, isAsked: boolean): boolean {
    if (isAsked === this.asked.has(id)) return false;
    if (isAsked) this.asked.add(id);
    else this.asked.delete(id);
    return true;
  }

  isAskedAbout(id: string): boolean {
    return this.asked.has(id);
  }

  couldNotBeLocked(id: string, error: EremosError): void {
    this.failed.set(id, { error, until: this.clocks.steady() + MINUTE_MS });
  }

  isTriedAgainLater(id: string): boolean {
    return (this.failed.get(id)?.until ?? 0) > this.clocks.steady();
  }

  /** What is known of a folder's quiet is void: it locked, or its time was changed. */
  forget(id: string): void {
    this.waitsFor(id, []);
    for (const map of [this.waiting, this.quietUntil, this.failed, this.heldAt, this.asked]) map.delete(id);
    for (const what of ["stays", "locks", "quiet"]) this.moments.forget(`${id} ${what}`);
  }
}
