import * as fs from "node:fs";
import * as path from "node:path";
import { type Disk, HELD_NAME, OWN_DIR_NAME, inspectFolder, isEremosError, ownDirPlace } from "@eremos/core";
import type { Dropped, DroppedFound } from "../contract";

/** Walks through the places, breadth first. Links are not followed, nor what Eremos keeps. */

const OURS: readonly string[] = [OWN_DIR_NAME.toString(), HELD_NAME.toString()];

export interface DroppedAsked {
  readonly dropped: Dropped;
  readonly places: readonly string[];
  readonly longestMs: number;
}

/** A slot: what stands at a path, locked and in view. */
export interface SlotKnown {
  readonly folder: string;
  /** What was recorded of Eremos' directory in it; null: nothing that lasts. */
  readonly place: string | null;
}

export interface SlotAsked extends SlotKnown {
  readonly places: readonly string[];
  readonly longestMs: number;
}

/**
 * Where something lies that was dropped on the page: a browser tells its name and what is in it, and not its path.
 * Everything of that name in the places is compared. `complete`: the whole of the places was looked through in the time
 * there is. `still` hears that it goes on, at every directory.
 */
export async function walkForDropped(
  { dropped, places, longestMs }: DroppedAsked,
  still: () => Promise<void> = async () => undefined,
): Promise<DroppedFound> {
  const until = Date.now() + longestMs;
  const paths: string[] = [];
  const waiting = [...places];
  for (let place = waiting.shift(); place !== undefined; place = waiting.shift()) {
    if (Date.now() > until) return { paths, complete: false };
    await still();
    for (const entry of entriesOf(place)) {
      const at = path.join(place, entry.name);
      if (entry.name === dropped.name && isIt(at, entry, dropped)) paths.push(at);
      if (entry.isDirectory() && !OURS.includes(entry.name)) waiting.push(at);
    }
  }
  return { paths, complete: true };
}

/** Where a folder stands locked in view; null: nowhere that was come to in the time there is. */
export async function walkForSlot(
  disk: Disk,
  { places, longestMs, ...known }: SlotAsked,
  still: () => Promise<void> = async () => undefined,
): Promise<string | null> {
  const until = Date.now() + longestMs;
  const waiting = [...places];
  for (let place = waiting.shift(); place !== undefined && Date.now() < until; place = waiting.shift()) {
    await still();
    if (isSlotAt(disk, place, known)) return place;
    for (const entry of entriesOf(place))
      if (entry.isDirectory() && !OURS.includes(entry.name)) waiting.push(path.join(place, entry.name));
  }
  return null;
}

/** A decoy repeats an id; it can't repeat what was recorded of the real one's directory. */
export function isSlotAt(disk: Disk, at: string, { folder, place }: SlotKnown): boolean {
  const full = Buffer.from(at);
  try {
    const mayBe = fs.existsSync(path.join(at, OWN_DIR_NAME.toString()));
    const inspection = mayBe ? inspectFolder(disk, full) : null;
    if (inspection?.folder !== folder || inspection.state !== "sealed" || inspection.visibility !== "view")
      return false;
    return place === null || place === ownDirPlace(disk, full);
  } catch (error) {
    if (isEremosError(error)) return false;
    throw error;
  }
}

function entriesOf(directory: string): fs.Dirent[] {
  try {
    return fs.readdirSync(directory, { withFileTypes: true });
  } catch {
    return [];
  }
}

function isIt(at: string, entry: fs.Dirent, dropped: Dropped): boolean {
  if (dropped.type === "file") return entry.isFile() && sizeOf(at) === dropped.size;
  if (!entry.isDirectory()) return false;
  const inside = new Map(entriesOf(at).map((one) => [one.name, one]));
  if (
    dropped.complete &&
    [...inside.values()].filter((one) => one.isDirectory() || one.isFile()).length !== dropped.entries.length
  )
    return false;
  for (const wanted of dropped.entries) {
    const found = inside.get(wanted.name);
    if (!found || found.isDirectory() !== (wanted.type === "dir")) return false;
    if (wanted.size !== null && sizeOf(path.join(at, wanted.name)) !== wanted.size) return false;
  }
  return true;
}

function sizeOf(file: string): number | null {
  try {
    return fs.lstatSync(file).size;
  } catch {
    return null;
  }
}
