import { EremosError, damage, isEremosError } from "../../errors/eremos-error";
import {
  MAX_STATE_BYTES,
  type StateBody,
  type StateRecord,
  isStateName,
  provenState,
  readState,
  stateName,
  stateWriterOf,
  writeState,
} from "../../format/state";
import type { Dir, Disk, Stat } from "../../platform/port";
import {
  type Candidate,
  type DamagedCopy,
  NAMES,
  allWhole,
  candidatesIn,
  commitFile,
  commitRecord,
  firstWhole,
  hasRecord,
  readSmallFile,
  removeRecord,
  within,
} from "../ground";
import { said, say } from "@eremos/words/core/records";

/**
 * The state records of a folder: one of each computer that was at work in it, for the place where that was. Of those of
 * this place the last one governs; what another computer wrote, or what was written at another place, makes this one
 * remove nothing. FORMAT.md §7.
 */

/** System, and inode and birth of an Eremos' directory, decimal: what another system counted says nothing here. */
export function placeOf({ system }: Pick<Disk, "system">, { ino, bornNs }: Pick<Stat, "ino" | "bornNs">): string {
  return `${system}:${ino}:${bornNs}`;
}

/**
 * By which Eremos' directory in a folder is told from a copy of it, and from one that was put in its place; null where
 * inode numbers don't last. Not the device: a drive gets another number each time it is mounted.
 */
export function placeIn(disk: Disk, ownDir: Dir): string | null {
  return disk.identifies(ownDir) ? placeOf(disk, disk.statOpen(ownDir)) : null;
}

/** The computers by whose names state records lie here. */
function writersIn(disk: Disk, ownDir: Dir): string[] {
  return [...new Set(disk.list(ownDir).flatMap((name) => stateWriterOf(name.toString("latin1")) ?? []))];
}

export function hasState(disk: Disk, ownDir: Dir): boolean {
  return disk.list(ownDir).some(isStateName);
}

/** A third copy where the folder is insured. */
function copiesOf(disk: Disk, ownDir: Dir, writer: string): Candidate[] {
  const name = stateName(writer);
  const third: Candidate[] = !disk.find(ownDir, NAMES.insurance)
    ? []
    : [
        {
          path: `insurance/${name.toString("latin1")}`,
          read: () =>
            within(disk, disk.openDir(ownDir, NAMES.insurance), (dir) =>
              readSmallFile(disk, dir, name, MAX_STATE_BYTES),
            ),
        },
      ];
  return [...candidatesIn(disk, ownDir, name, "", MAX_STATE_BYTES), ...third];
}

function readBy(writer: string): (bytes: Buffer) => StateRecord {
  return (bytes) => {
    const record = readState(bytes);
    if (record.by === writer) return record;
    throw damage(said("folders-state-record-lies-under"), {
      reason: "swapped",
    });
  };
}

const WHAT = say("folders-state-record");

/** @throws EremosError `damaged` | `unknown-version` where this computer's own can't be read */
function statesIn(disk: Disk, ownDir: Dir): StateRecord[] {
  const writers = writersIn(disk, ownDir);
  let damage: unknown = null;
  const records = writers.flatMap((writer): StateRecord[] => {
    try {
      return [firstWhole(copiesOf(disk, ownDir, writer), readBy(writer), WHAT).record];
    } catch (error) {
      // Another computer's that can't be read says nothing; this one's would be what is true.
      if (!isEremosError(error) || writer === disk.identity.id) throw error;
      damage ??= error;
      return [];
    }
  });
  if (records.length === 0 && damage !== null) throw damage;
  return records;
}

/** What another computer wrote last, of what has come here. */
export interface OtherState {
  readonly record: StateRecord;
  /** Of its file, in milliseconds since 1970: no later than when it came here. */
  readonly writtenMs: number;
}

/**
 * Of every other computer. Null where one of them can't be read, so that nothing is known of what it needs. @throws
 * system errors
 */
export function otherStates(disk: Disk, ownDir: Dir): readonly OtherState[] | null {
  const found: OtherState[] = [];
  for (const writer of writersIn(disk, ownDir).filter((one) => one !== disk.identity.id)) {
    const record = wholeOrNull(disk, ownDir, writer);
    if (!record) return null;
    found.push({ record, writtenMs: Number((disk.find(ownDir, stateName(writer))?.mtimeNs ?? 0n) / 1_000_000n) });
  }
  return found;
}

/**
 * Whether another computer wrote the record, at another place, so that it came here with a copy or a program that keeps
 * copies in step; false where that can't be told.
 */
export function isFromElsewhere(disk: Disk, ownDir: Dir, { by, place }: Pick<StateRecord, "by" | "place">): boolean {
  const here = placeIn(disk, ownDir);
  return by !== disk.identity.id && place !== null && here !== null && place !== here;
}

function isOfPlace({ place }: StateRecord, here: string | null): boolean {
  return place === null || here === null || place === here;
}

/**
 * The record that governs, or null when nothing was ever locked here. @throws EremosError `damaged` | `unknown-version`
 */
export function loadState(disk: Disk, ownDir: Dir): StateRecord | null {
  const records = statesIn(disk, ownDir);
  if (records.length === 0) {
    if (hasSealed(disk, ownDir)) throw new EremosError("damaged", said("folders-state-record-is-missing"));
    return null;
  }
  const here = placeIn(disk, ownDir);
  const ofPlace = records.filter((record) => isOfPlace(record, here));
  const isOwn = (record: StateRecord): number => (record.by === disk.identity.id ? 1 : 0);
  const [last = null] = (ofPlace.length > 0 ? ofPlace : records).sort(
    (a, b) => b.sequence - a.sequence || isOwn(b) - isOwn(a),
  );
  return last;
}

/** Where one of these is, there was a state record before them: without it nothing may be written or removed. */
function hasSealed(disk: Disk, ownDir: Dir): boolean {
  return (
    hasRecord(disk, ownDir, NAMES.header) ||
    [NAMES.generations, NAMES.staging, NAMES.packs, NAMES.index].some((name) => disk.find(ownDir, name))
  );
}

/** What was true of a folder that lies still is true of a copy of it, too. */
const AT_REST = ["sealed", "open"] as const;

/**
 * Whether this computer wrote the record, and of this place: what another one wrote, or somebody who forged it, or what
 * was copied here, never makes this one remove anything.
 */
export function isOwnState(disk: Disk, ownDir: Dir, state: StateRecord): boolean {
  if (state.proof === undefined || !disk.identity.isOwn(provenState(state), state.proof)) return false;
  return (AT_REST as readonly string[]).includes(state.state) || isOfPlace(state, placeIn(disk, ownDir));
}

/** The state from now on, durable when it returns; what other computers wrote of this place before is past. */
export function commitState(disk: Disk, ownDir: Dir, state: StateBody | StateRecord): StateRecord {
  const { id } = disk.identity;
  const here = placeIn(disk, ownDir);
  const others = writersIn(disk, ownDir)
    .filter((writer) => writer !== id)
    .flatMap((writer) => wholeOrNull(disk, ownDir, writer) ?? []);
  const own = wholeOrNull(disk, ownDir, id);
  const sequence = 1 + Math.max(own?.sequence ?? 0, ...others.map((one) => one.sequence));
  const body = { ...state, by: id, sequence, place: here };
  const proven: StateRecord = { ...body, proof: disk.identity.prove(provenState(body)) };
  const [name, bytes] = [stateName(id), writeState(proven)];
  commitRecord(disk, ownDir, name, bytes);
  if (proven.state === "sealed" && disk.find(ownDir, NAMES.insurance))
    within(disk, disk.openDir(ownDir, NAMES.insurance), (dir) => commitFile(disk, dir, name, bytes));
  for (const { by, place } of others) if (place !== null && place === here) removeRecord(disk, ownDir, stateName(by));
  return proven;
}

/**
 * A folder that another computer locked is known here from now on: by this computer's own record of it the others
 * learn, where a program keeps the copies in step, that nothing of this state may go as long as it is here. Does
 * nothing where there is one already, or where the folder is not at rest.
 */
export function joinIn(disk: Disk, ownDir: Dir): void {
  const state = loadState(disk, ownDir);
  if (state?.state === "sealed" && !isOwnState(disk, ownDir, state))
    commitState(disk, ownDir, { ...state, next: null });
}

function wholeOrNull(disk: Disk, ownDir: Dir, writer: string): StateRecord | null {
  try {
    return hasRecord(disk, ownDir, stateName(writer))
      ? firstWhole(candidatesIn(disk, ownDir, stateName(writer), "", MAX_STATE_BYTES), readBy(writer), WHAT).record
      : null;
  } catch (error) {
    if (isEremosError(error)) return null;
    throw error;
  }
}

/** Copies of the state records that are missing or damaged. @throws EremosError as {@link loadState} */
export function damagedStates(disk: Disk, ownDir: Dir): readonly DamagedCopy[] {
  const governing = loadState(disk, ownDir);
  if (!governing) return [];
  return allWhole(candidatesIn(disk, ownDir, stateName(governing.by), "", MAX_STATE_BYTES), readBy(governing.by), WHAT)
    .damaged;
}
