import type { Bars, GuardName } from "../../format/guards";
import type { GuardRecord, GuardState } from "../../format/guard-record";
import type { OwnerEnvelope } from "../../format/owner";
import type { FolderState, StateRecord } from "../../format/state";
import type { Dir, Disk } from "../../platform/port";
import type { OpenNote, SealedInput, SealingInput, Strategy, Swept } from "../contents";
import type { Folder, HeldFolder, Hooks } from "../ground";
import type { Grounds, Showing, Signs } from "../visibility";
import type { Step } from "./sealed/decide";

/**
 * What every guard does. Whoever asks one does not know which it is: `guards.ts` finds it by what stands on the disk,
 * or by what is asked for.
 */
export interface Guard<R> {
  /** What the folder is, read without any key and without waiting. */
  inspect(disk: Disk, folder: FolderWithOwnDir, record: R): Look;
  /** Brings it to rest, from its records alone. */
  recover(disk: Disk, folder: HeldFolder, record: R): Recovery;
  /** What a lock would take on. Touches nothing. @throws EremosError for every refusal */
  preview(disk: Disk, input: PreviewInput): LockPreview;
  /** Takes contents away. @throws EremosError for every refusal, before anything is touched */
  lock(disk: Disk, input: LockInput, hooks: Hooks): Promise<Locked>;
  /** Brings them back. @throws EremosError */
  unlock(disk: Disk, hand: InHand, input: UnlockInput, hooks: Hooks): Promise<Unlocked>;
  /** Brings them back, and takes protection off for good. @throws EremosError */
  release(disk: Disk, hand: InHand, input: UnlockInput, hooks: Hooks): Promise<Unlocked>;
  /** Shows it in another way, or under other rules, while it stays locked. @throws EremosError */
  change(disk: Disk, hand: InHand, input: ChangeInput): Changed;
  /** Removes it for good with what is in it; from its first change on it is not undone. @throws EremosError */
  erase(disk: Disk, hand: InHand, passes: number): void;
  /** What somebody finds who gets to the folder. */
  reach(disk: Disk, path: string, inspection: Pick<Inspection, "state">): Reachable;
}

/** The record by which each guard knows a folder as its own. */
export interface Records {
  readonly sealed: StateRecord;
  readonly barred: GuardRecord;
  readonly sight: GuardRecord;
}

export type FolderWithOwnDir = Folder & { readonly ownDir: Dir };

/** A folder that is held, at rest, and followed where work moves it. */
export interface InHand {
  folder: HeldFolder;
}

/** What a guard tells of a folder. */
export interface Look {
  readonly folder: string;
  readonly guard: GuardName;
  readonly state: FolderState | GuardState;
  readonly generation: number;
  readonly visibility: StateRecord["visibility"];
  readonly lockedName: string | null;
  /** Tucked away: how many levels above the directory it belongs in its held area is. */
  readonly held: number | null;
  /** This computer wrote its record. */
  readonly isOwn: boolean;
  /** Plain entries that appeared in the locked folder and wait to be taken in. */
  readonly arrivals: number;
  /** Files that were put in, encrypted, and wait for the owner. */
  readonly drops: number;
  /**
   * Readable entries that the system did not let this account remove at a lock: in Eremos' directory, closed to other
   * accounts.
   */
  readonly remains: number;
}

/** What a folder is now. */
export interface Inspection extends Look {
  /** It stands for a single file. */
  readonly single: boolean;
  /** An operation of some process is running on it right now. */
  readonly busy: boolean;
}

/** Locked, and at rest. */
export function isLocked({ state }: Pick<Inspection, "state">): boolean {
  return state === "sealed" || state === "locked";
}

export interface Recovery {
  /** The state the folder is in now; null when it is an ordinary folder again. */
  readonly state: FolderState | GuardState | null;
  readonly path: Buffer;
  readonly steps: readonly (Step | "settle")[];
}

export interface EraseInput {
  /** Where the folder is now. */
  readonly path: Buffer;
  /** Which it is, and how it is guarded, as whoever asks was told. */
  readonly folder: string;
  readonly guard: GuardName;
  /** So often everything is written over before it goes; 0: only what opens it. */
  readonly passes: number;
}

/** How a folder is to be locked, and what is to show of it. */
export interface Guarding extends Grounds, Showing {
  readonly guard: GuardName;
  /** No bars where the guard has none. */
  readonly bars: Bars;
}

export interface LockInput extends Guarding {
  readonly path: Buffer;
  /** A new id for a first lock, the folder's own for a later one. */
  readonly folder: string;
  readonly owner: OwnerEnvelope;
  /** What encrypting takes; null where nothing is encrypted, so that no key is handed on for nothing. */
  readonly sealing: Sealing | null;
}
export type Sealing = Omit<SealingInput, "path" | "folder" | "visibility" | "cover" | keyof Grounds>;

export type PreviewInput = Grounds & Pick<LockInput, "guard" | "path" | "visibility" | "cover">;

export interface LockPreview {
  readonly files: number;
  readonly bytes: number;
  readonly outsideLinks: readonly string[];
  /**
   * What belongs to other accounts: once it was locked and opened it is this account's, without any special rights of
   * theirs.
   */
  readonly foreign: readonly string[];
  /** Programs that have something of the folder open. */
  readonly holders: readonly string[];
  /**
   * The file system tells of each file whether anybody writes to it; else only programs that can be listed are seen.
   */
  readonly tellsWriters: boolean;
  readonly strategy: Strategy;
}

export interface Locked {
  readonly folder: string;
  /** Where it is now. */
  readonly path: Buffer;
  /** Programs that still have files of it open, and keep reading them. */
  readonly stillOpenIn: readonly string[];
  /** Null where nothing was encrypted. */
  readonly sealed: SealedFacts | null;
}

export interface SealedFacts {
  readonly generation: number;
  readonly digest: string;
  readonly files: number;
  readonly bytes: number;
  readonly publicKey: string;
  readonly header: Buffer;
  readonly outsideLinks: readonly string[];
  /** How it was done: by the space there was. */
  readonly strategy: Strategy;
  /**
   * What is not needed any more of its earlier states went; or all of them stayed, since not everything that says what
   * is needed could be read.
   */
  readonly earlier: Swept;
  /** Files of the readable copy that could not be written over, and went as they were; 0 where that was not asked. */
  readonly notOverwritten: number;
}

export interface UnlockInput {
  /** Where the folder is now. */
  readonly path: Buffer;
  /** What stands there, as whoever asks was told: anything else was put there since. */
  readonly guard: GuardName;
  /** Its ordinary path, from the owner's own list. */
  readonly place: Buffer;
  /** For its owner's account alone, and a single file not at its place: it is about to be locked in another way. */
  readonly closed?: boolean;
  /** What decrypting takes; null where nothing is encrypted now. */
  readonly sealed: Unsealing | null;
}

export interface Unsealing extends Omit<SealedInput, "path"> {
  /** How many earlier states stay beside the last one. */
  readonly keepEarlier?: number;
}

export interface Unlocked {
  readonly folder: string;
  /** The folder's ordinary path, where it is now. */
  readonly path: Buffer;
  /** Null where nothing was encrypted. */
  readonly unsealed: UnsealedFacts | null;
}

export interface UnsealedFacts {
  readonly generation: number;
  readonly digest: string;
  readonly files: number;
  readonly bytes: number;
  readonly header: Buffer;
  /** Nobody known stands behind its key: the next lock makes another, and nothing is sealed to this one. */
  readonly isUnknown: boolean;
  /**
   * Programs and directories that did not get special rights back, since their owner or group could not be given back.
   */
  readonly withheld: number;
  /**
   * False: the disk it lies on can't hold some of its permissions or attributes; they stay in the sealed copy, and with
   * the next lock.
   */
  readonly holdsAll: boolean;
  /** Files that are damaged, and were agreed to be: what is whole of them stands under a name that says so. */
  readonly damaged: readonly string[];
  /** File by file: there was no room for two copies, so none is kept beside the open folder. */
  readonly strategy: Strategy;
  /** Null after a release, and where nobody known stands behind its key. */
  readonly note: OpenNote | null;
}

export interface ChangeInput extends Guarding, Signs {
  /** Where the folder is now. */
  readonly path: Buffer;
  /** Its ordinary path, from the owner's own list. */
  readonly place: Buffer;
}

export interface Changed {
  /** Where it is now. */
  readonly path: Buffer;
  /** Programs that still have files of it open. */
  readonly stillOpenIn: readonly string[];
}

interface Reachable {
  /** Nothing of what is in it can be read. */
  readonly isEncrypted: boolean;
  /** Where its contents lie: not in the folder itself where that looks empty. */
  readonly at: string;
}
