import type { GuardName } from "../../format/guards";

/** A stretch of a file that could not be brought back, in bytes; zeros stand there. */
export interface LostRange {
  readonly offset: number;
  readonly length: number;
}

export interface DamagedFile {
  /** Where it is in what was brought out. */
  readonly path: string;
  readonly size: number;
  readonly lost: readonly LostRange[];
}

export interface RescueReport {
  readonly guard: GuardName;
  /** The state it was brought out of, or null: from the packs alone, or not sealed. */
  readonly generation: number | null;
  /** Where the folder lay, where that is known. */
  readonly place: string | null;
  readonly files: number;
  readonly bytes: number;
  readonly damaged: readonly DamagedFile[];
  /** What is wrong with what Eremos keeps in the folder. */
  readonly problems: readonly string[];
  /** What plain files can't be given here: owners, attributes, names this disk can't hold. */
  readonly notGiven: readonly string[];
}

export interface RescueProgress {
  readonly files: number;
  readonly filesTotal: number;
  readonly bytes: number;
  readonly bytesTotal: number;
}
