import { EremosError, damage, isEremosError } from "../../errors/eremos-error";
import { type Generation, type GenerationRef, generationDigest, refOf, vouchingOf } from "../../format/generation";
import { type Head, standingOf } from "../../format/header";
import type { StateRecord } from "../../format/state";
import type { Dir, Disk } from "../../platform/port";
import {
  FolderKeys,
  type FoundHead,
  NOTHING_HERE,
  type Newer,
  type OwnerAccess,
  ancestorsOf,
  arrivalOf,
  believedOf,
  isFromElsewhere,
  loadGeneration,
  loadHeads,
  newerThan,
  otherStates,
  stillArriving,
} from "../records";
import type { DamagedCopy } from "../ground";
import type { Consent } from "../../format/choices";
import { said, say } from "@eremos/words/core/contents";

/** What every verb that opens a sealed folder brings. */
export interface SealedInput {
  /** Where the folder is now. */
  readonly path: Buffer;
  readonly access: OwnerAccess;
  /** The database's copy of the header, used when those in the folder are damaged, or not the owner's. */
  readonly keptHeader: Buffer | null;
  /** The newest generation the database knows, to notice a folder that was put back to an older state. */
  readonly expected: { readonly generation: number; readonly digest: string } | null;
  /** What the owner was told and goes on with. */
  readonly accept: readonly Consent[];
}

/** A sealed folder's header, generation and keys. Whoever opened it wipes the keys. */
export interface SealedFolder {
  readonly head: Head;
  readonly generation: Generation;
  readonly keys: FolderKeys;
  /** What its owner has to agree to, or has agreed to. */
  readonly questions: readonly EremosError[];
  /** Copies of header and generation record that are missing, damaged or not the owner's. */
  readonly damaged: readonly DamagedCopy[];
}

/**
 * The one way into a sealed folder: header, generation, keys, who stands behind both, whether it is older than known,
 * and whether it comes from what is known. Where another computer has made a newer state of it, and all of that is
 * here, it is that which is opened, and `generation` is to be named by the next state record. The folder is held, or
 * only read. @throws EremosError `unvouched` | `rolled-back` | `forked` | `arriving` where that was not agreed to |
 * `needs-folder-password` | `wrong-password` | `damaged`
 */
export async function openSealed(
  disk: Disk,
  ownDir: Dir,
  state: SealedState,
  input: SealedInput,
): Promise<SealedFolder> {
  const opened = await lookAtSealed(disk, ownDir, state, input);
  const asked = opened.questions.find(({ code }) => !(input.accept as readonly string[]).includes(code));
  if (!asked) return opened;
  opened.keys.wipe();
  throw asked;
}

/** What of a state record says which state of the folder is opened. */
export type SealedState = Pick<StateRecord, "generation" | "state" | "mixed" | "by" | "place">;

/** The same, with what is to be asked told instead of thrown: for what only looks. */
export async function lookAtSealed(
  disk: Disk,
  ownDir: Dir,
  state: SealedState,
  { access, keptHeader, expected }: Omit<SealedInput, "path" | "accept">,
): Promise<SealedFolder> {
  const { generation: ref } = state;
  if (!ref) throw new EremosError("damaged", said("folders-state-record-names-no"));
  requireArrived(disk, ownDir, state, ref);
  const { head, keys, damaged } = await openHeads(disk, ownDir, keptHeader, access);
  try {
    const newer = isAtRest(state)
      ? newerThan(
          disk,
          ownDir,
          ref,
          (record) => vouchingOf(record, believedOf(access), head) !== "unknown" && keys.has(record),
        )
      : NOTHING_NEWER;
    const loaded = loadGeneration(disk, ownDir, newer.whole ? refOf(newer.whole) : ref);
    const generation = loaded.record;
    if (generation.folder !== head.header.folder)
      throw damage(said("folders-generation-record-belongs-another"), {
        reason: "swapped",
      });
    const questions = [
      whoStandsBehind(generation, head, keys, access),
      whetherOlder(generation, expected),
      whetherForked(disk, ownDir, generation, expected),
      newer.arriving ? stillArriving(say("newer-state-this-folder"), newer.arriving) : null,
    ];
    return {
      head,
      generation,
      keys,
      questions: questions.filter((one) => one !== null),
      damaged: [...damaged, ...loaded.damaged],
    };
  } catch (error) {
    keys.wipe();
    throw error;
  }
}

const NOTHING_NEWER: Newer = { whole: null, arriving: null };

/** What lies open was opened from the state that the record names; that is what it is compared with. */
function isAtRest({ state, mixed }: SealedState): boolean {
  return state === "sealed" && !mixed;
}

/**
 * @throws EremosError `arriving` where the record came here from another place, and not everything that it names has
 */
function requireArrived(disk: Disk, ownDir: Dir, state: SealedState, ref: GenerationRef): void {
  if (!isFromElsewhere(disk, ownDir, state)) return;
  const arrival = arrivalOf(disk, ownDir, ref);
  if (!arrival || arrival.missing > 0) throw stillArriving(say("this-folder"), arrival ?? NOTHING_HERE);
}

const WEIGHT = { owner: 2, device: 1, unknown: 0 } as const;

/** Those that somebody known stands behind first, the owner before a computer of theirs, and the latest first. */
function byStanding(
  heads: readonly FoundHead[],
  access: OwnerAccess,
): readonly (FoundHead & { readonly isKnown: boolean })[] {
  const believed = believedOf(access);
  const weighed = heads.map((found) => ({ ...found, weight: WEIGHT[standingOf(found.head.header, believed)] }));
  return weighed
    .sort((a, b) => b.weight - a.weight || b.head.header.counter - a.head.header.counter)
    .map(({ weight, ...found }) => ({ ...found, isKnown: weight > 0 }));
}

/**
 * Of several headers the one that somebody known stands behind, and of those the latest: whoever can write to the
 * folder can put another, or an earlier one, in its place.
 */
export async function openHeads(
  disk: Disk,
  ownDir: Dir,
  kept: Buffer | null,
  access: OwnerAccess,
): Promise<Pick<SealedFolder, "head" | "keys" | "damaged">> {
  const { heads, damaged } = loadHeads(disk, ownDir, kept);
  const ordered = byStanding(heads, access);
  // Where one is known, an unknown one is not even tried.
  const tried = ordered.some(({ isKnown }) => isKnown) ? ordered.filter(({ isKnown }) => isKnown) : ordered;
  let first: unknown = null;
  for (const { head, damaged: its } of tried) {
    try {
      const keys = await FolderKeys.open(disk, ownDir, head, access);
      const others = heads
        .filter((other) => other.head !== head && !other.isKept)
        .map(({ path }) => ({ path, reason: say("it-is-not-latest-header") }));
      return { head, keys, damaged: [...damaged, ...its, ...others] };
    } catch (error) {
      if (!isEremosError(error)) throw error;
      first ??= error;
    }
  }
  throw (
    stillComing(
      disk,
      ownDir,
      tried.map(({ head }) => head),
    ) ?? first
  );
}

/** Where a program keeps the folder in step, a header may be here before the ways in that it names. */
function stillComing(disk: Disk, ownDir: Dir, heads: readonly Head[]): EremosError | null {
  const partly = heads.find(({ header, slots }) => slots.length < header.slots.length);
  if (!partly || otherStates(disk, ownDir)?.length === 0) return null;
  return stillArriving(say("this-folders-header"), {
    pieces: partly.header.slots.length,
    arrived: partly.slots.length,
  });
}

/**
 * The header that is to be written anew, without opening the folder: of several the latest that somebody known stands
 * behind.
 * @throws EremosError `unvouched` | `wrong-password` (another owner's) | `damaged`
 */
export function headToRenew(
  disk: Disk,
  ownDir: Dir,
  { access, keptHeader }: Pick<SealedInput, "access" | "keptHeader">,
): Head {
  if (!believedOf(access).owner) throw new EremosError("damaged", said("owner-record-does-not-belong"));
  const [first] = byStanding(loadHeads(disk, ownDir, keptHeader).heads, access);
  if (first?.isKnown) return first.head;
  if (first && first.head.header.owner.owner !== access.owner.owner)
    throw new EremosError("wrong-password", said("this-folder-was-locked-by"));
  throw new EremosError("unvouched", said("nobody-known-stands-behind-this"), { what: "key" });
}

/** The header that somebody known stands behind, where no key is needed. @throws EremosError `unvouched` | `damaged` */
export function knownHead(
  disk: Disk,
  ownDir: Dir,
  { access, keptHeader }: Pick<SealedInput, "access" | "keptHeader">,
): Head {
  const [first] = byStanding(loadHeads(disk, ownDir, keptHeader).heads, access);
  if (first?.isKnown) return first.head;
  throw new EremosError("unvouched", said("nobody-known-stands-behind-this-folder"), { what: "key" });
}

/**
 * A folder key that was only sealed to the owner, or a generation that was only sealed to the folder, may be anybody's:
 * only signatures of the owner, of their computers, and of members who may change the folder count.
 */
function whoStandsBehind(
  generation: Generation,
  head: Head,
  keys: FolderKeys,
  access: OwnerAccess,
): EremosError | null {
  if (keys.standing === "unknown") {
    return new EremosError("unvouched", said("this-folder-was-locked-by-somebody"), { what: "key" });
  }
  if (vouchingOf(generation, believedOf(access), head) !== "unknown") return null;
  return new EremosError("unvouched", said("last-lock-this-folder-was"), { what: "lock" });
}

function whetherOlder({ number }: Generation, expected: SealedInput["expected"]): EremosError | null {
  if (!expected || number >= expected.generation) return null;
  return new EremosError("rolled-back", said("this-folder-is-in-older", { number, generation: expected.generation }), {
    found: number,
    expected: expected.generation,
  });
}

/** As far as the records between the known state and this one are still there. */
function whetherForked(
  disk: Disk,
  ownDir: Dir,
  record: Generation,
  expected: SealedInput["expected"],
): EremosError | null {
  if (!expected || record.number < expected.generation || generationDigest(record) === expected.digest) return null;
  const lineage =
    record.number === expected.generation
      ? { isWhole: true, digests: new Set<string>() }
      : ancestorsOf(disk, ownDir, record, expected.generation);
  if (lineage.digests.has(expected.digest) || !lineage.isWhole) return null;
  return new EremosError("forked", said("another-state-this-folder-is", { generation: expected.generation }), {
    generation: expected.generation,
  });
}
