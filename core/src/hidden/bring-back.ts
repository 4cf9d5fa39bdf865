import { randomBytes } from "../crypto/bytes";
import { joinPath, readSmallFile, splitPath, within } from "../engine/ground";
import { EremosError, fromSystemError, systemCode } from "../errors/eremos-error";
import type { Dir, Disk, Stat } from "../platform/port";
import { meansAt } from "./find-hidden";
import { plainName, shownByVolume } from "./means";
import { type Spot, atPlace, atSpot, pathOf, spotIn } from "./spot";
import { said } from "@eremos/words/core/hidden";

/**
 * One thing that was changed to bring something back, and how it was before. `now` is where it is; what is not the same
 * there any more is left alone.
 */
export type Undo =
  | { readonly kind: "rename"; readonly now: Spot; /** Base64 of the name it had. */ readonly name: string }
  | { readonly kind: "mode"; readonly now: Spot; readonly mode: number }
  | { readonly kind: "line"; /** The directory of the list. */ readonly now: Spot; readonly line: string }
  | { readonly kind: "immutable"; readonly now: Spot }
  | { readonly kind: "attributes"; readonly now: Spot; readonly attributes: number }
  | { readonly kind: "removed"; readonly now: Spot; readonly content: string; readonly mode: number };

export interface Brought {
  /** Where it is now. */
  readonly path: Buffer;
  /** The first to be undone first. */
  readonly undo: readonly Undo[];
}

const LIST = Buffer.from(".hidden");
const MOST_LIST_BYTES = 256 * 1024;
const MOST_SCRIPT_BYTES = 64 * 1024;
const ICONS = ["desktop.ini", "Desktop.ini", ".directory"] as const;

/**
 * Undoes whatever hides an entry, and nothing else of it. Where it can't be done whole, nothing stays changed. A name
 * that hid it gives way to `wanted`, where that is known.
 * @throws EremosError `not-found` (it is not what was found) | `no-permission` (another account's, or an administrator
 * is needed) | `path-taken`
 */
export function bringBack(disk: Disk, found: Spot, wanted: string | null = null): Brought {
  const undo: Undo[] = [];
  try {
    const at = atSpot(disk, found, (dir, name, stat) =>
      bringBackHeld(disk, found, { dir, name, stat }, wanted, (step) => undo.unshift(step)),
    );
    return { path: at, undo };
  } catch (error) {
    putBackHidden(disk, undo);
    throw fromSystemError(error, said("bringing-it-back-it-is"));
  }
}

interface HeldEntry {
  readonly dir: Dir;
  readonly name: Buffer;
  readonly stat: Stat;
}

function bringBackHeld(
  disk: Disk,
  found: Spot,
  { dir, name, stat }: HeldEntry,
  wanted: string | null,
  did: (step: Undo) => void,
): Buffer {
  const path = pathOf(found);
  // By the directory that is held: what takes its path meanwhile is not touched.
  const held = joinPath(heldPath(dir), name);
  const means = meansAt(disk, held);
  if (means.includes("immutable")) {
    if (!disk.flags.setImmutable(held, false) || disk.flags.isImmutable(held))
      throw new EremosError(
        "no-permission",
        said("flag-lets-nobody-change-it", { path: path.toString("utf8").replaceAll("'", "'\\''") }),
      );
    did({ kind: "immutable", now: found });
  }
  if (means.includes("no-read")) {
    disk.setMode(dir, name, stat.mode | (stat.type === "dir" ? 0o700 : 0o600));
    did({ kind: "mode", now: found, mode: stat.mode });
  }
  const attributes = means.includes("attributes") ? disk.flags.volumeAttributes(held) : null;
  if (attributes !== null) {
    if (!disk.flags.setVolumeAttributes(held, shownByVolume(attributes)))
      throw new EremosError("no-permission", said("volume-does-not-let-this"));
    did({ kind: "attributes", now: found, attributes });
  }
  if (means.includes("list")) {
    editLines(disk, dir, (lines) => lines.filter((line) => line !== name.toString("utf8")));
    did({ kind: "line", now: found, line: name.toString("utf8") });
  }
  if (means.includes("icon")) {
    within(disk, disk.openDir(dir, name), (inside) => {
      for (const icon of ICONS) {
        if (disk.find(inside, Buffer.from(icon))?.type === "file")
          did(
            rename(disk, inside, joinPath(path, Buffer.from(icon)), Buffer.from(`${icon.replace(".", "")} (before)`)),
          );
      }
    });
  }
  if (!means.some((one) => one === "dot" || one === "blank" || one === "class-id")) return path;
  const step = rename(disk, dir, path, Buffer.from(wanted ?? plainName(name.toString("utf8"))));
  did(step);
  return pathOf(step.now);
}

function heldPath(dir: Dir): Buffer {
  return Buffer.from(`/proc/self/fd/${dir.handle}`);
}

/** Under that name, or where it is taken under one like it. */
function rename(disk: Disk, dir: Dir, from: Buffer, wanted: Buffer): Extract<Undo, { kind: "rename" }> {
  const { parent, name } = splitPath(from);
  if (
    wanted.length === 0 ||
    wanted.includes(0x2f) ||
    wanted.includes(0) ||
    [".", ".."].includes(wanted.toString("latin1"))
  )
    throw new EremosError("usage", said("name-that-it-had-is"));
  for (let number = 1; ; number++) {
    const to = number === 1 ? wanted : Buffer.from(`${wanted.toString("utf8")} (${number})`);
    try {
      disk.renameExclusive(dir, name, dir, to);
      disk.syncDir(dir);
      return { kind: "rename", now: spotIn(disk, dir, joinPath(parent, to)), name: name.toString("base64") };
    } catch (error) {
      if (systemCode(error) !== "EEXIST" || number === 100) throw error;
    }
  }
}

/**
 * A home-made lock's script, once nothing depends on it; what it said is kept for undoing. @throws EremosError
 * `not-found` | `no-permission`
 */
export function removeScript(disk: Disk, found: Spot): Undo {
  try {
    return atSpot(disk, found, (dir, name, stat) => {
      const content = stat.type === "file" ? readSmallFile(disk, dir, name, MOST_SCRIPT_BYTES) : null;
      if (!content || content.length > MOST_SCRIPT_BYTES)
        throw new EremosError("not-found", said("it-is-no-script-any"));
      disk.unlink(dir, name);
      disk.syncDir(dir);
      return { kind: "removed", now: found, content: content.toString("base64"), mode: stat.mode & 0o777 };
    });
  } catch (error) {
    throw fromSystemError(error, said("removing-script-it-is-as"));
  }
}

/**
 * Hides it again exactly as it was. Stops at the first step that can't be done, or whose entry is not the same any
 * more. @throws EremosError
 */
export function putBackHidden(disk: Disk, undo: readonly Undo[]): void {
  try {
    for (const step of undo) undoOne(disk, step);
  } catch (error) {
    throw fromSystemError(error, said("hiding-it-again"));
  }
}

function undoOne(disk: Disk, step: Undo): void {
  switch (step.kind) {
    case "rename":
      return atSpot(disk, step.now, (dir, name) => {
        disk.renameExclusive(dir, name, dir, Buffer.from(step.name, "base64"));
        disk.syncDir(dir);
      });
    case "mode":
      // Never more than it has now.
      return atSpot(disk, step.now, (dir, name, stat) => disk.setMode(dir, name, step.mode & stat.mode));
    case "line":
      return atSpot(disk, step.now, (dir) => editLines(disk, dir, (lines) => [...lines, step.line]));
    case "immutable":
      return atSpot(disk, step.now, (dir, name) => void disk.flags.setImmutable(joinPath(heldPath(dir), name), true));
    case "attributes":
      return atSpot(
        disk,
        step.now,
        (dir, name) => void disk.flags.setVolumeAttributes(joinPath(heldPath(dir), name), step.attributes),
      );
    case "removed":
      return atPlace(disk, step.now, (dir, name) =>
        writeNew(disk, dir, name, Buffer.from(step.content, "base64"), step.mode),
      );
  }
}

/** A file that was not there. @throws EEXIST where something has the name, a link too */
function writeNew(disk: Disk, dir: Dir, name: Buffer, bytes: Buffer, mode: number): void {
  const file = disk.create(dir, name, 0o600);
  try {
    disk.write(file, bytes, 0, bytes.length, 0);
    disk.setOpenMode(file, mode & 0o777);
    disk.syncFile(file);
  } finally {
    disk.closeFile(file);
  }
  disk.syncDir(dir);
}

/**
 * Line by line; a list that ends up empty goes. Only one of this account's own; no link is followed, and what is read
 * is given to nobody who could not read it.
 */
function editLines(disk: Disk, dir: Dir, edit: (lines: readonly string[]) => readonly string[]): void {
  const before = disk.find(dir, LIST);
  if (before && (before.type !== "file" || !disk.owns(before) || before.size > MOST_LIST_BYTES))
    throw new EremosError("no-permission", said("list-that-hides-it-hidden"));
  const text = before ? (readSmallFile(disk, dir, LIST, MOST_LIST_BYTES)?.toString("utf8") ?? "") : "";
  const lines = edit(text.split("\n").filter((line, i, all) => line !== "" || i < all.length - 1));
  if (lines.length === 0) {
    if (before) disk.unlink(dir, LIST);
    return disk.syncDir(dir);
  }
  const beside = Buffer.from(`.hidden.${randomBytes(8).toString("hex")}`);
  writeNew(disk, dir, beside, Buffer.from(`${lines.join("\n")}\n`), before ? before.mode & 0o777 : 0o644);
  disk.rename(dir, beside, dir, LIST);
  disk.syncDir(dir);
}
