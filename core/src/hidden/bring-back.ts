import * as fs from "node:fs";
import { within } from "../engine/handles";
import { joinPath, splitPath } from "../engine/vault";
import { EremosError, fromSystemError, systemCode } from "../errors/eremos-error";
import { isImmutable, setImmutable, setVolumeAttributes, shownByVolume, volumeAttributes } from "../platform/linux/attributes";
import type { Disk } from "../platform/port";
import { meansAt } from "./find-hidden";
import { plainName } from "./means";

/** One thing that was changed to bring something back, and how it was before. Paths are base64 of their bytes. */
export type Undo =
  | { readonly kind: "rename"; readonly from: string; readonly to: string }
  | { readonly kind: "mode"; readonly path: string; readonly mode: number }
  | { readonly kind: "line"; readonly list: string; readonly line: string }
  | { readonly kind: "immutable"; readonly path: string }
  | { readonly kind: "attributes"; readonly path: string; readonly attributes: number }
  | { readonly kind: "removed"; readonly path: string; readonly content: string; readonly mode: number };

export interface Brought {
  /** Where it is now. */
  readonly path: Buffer;
  /** The first to be undone first. */
  readonly undo: readonly Undo[];
}

const encode = (path: Buffer): string => path.toString("base64");
const decode = (path: string): Buffer => Buffer.from(path, "base64");

/**
 * Undoes whatever hides an entry, and nothing else of it. Where it can't be done whole, nothing stays changed.
 * A name that hid it gives way to `wanted`, where that is known.
 * @throws EremosError `not-found` | `no-permission` (an administrator is needed) | `path-taken`
 */
export function bringBack(disk: Disk, path: Buffer, wanted: string | null = null): Brought {
  const undo: Undo[] = [];
  let at = path;
  try {
    const means = meansAt(path);
    if (means.includes("immutable")) {
      if (!setImmutable(path, false) || isImmutable(path)) throw new EremosError("no-permission", `A flag lets nobody change it, and only an administrator may take that off: sudo chattr -i '${path.toString("utf8").replaceAll("'", "'\\''")}'. Nothing was changed; look again afterwards.`);
      undo.unshift({ kind: "immutable", path: encode(path) });
    }
    if (means.includes("no-read")) {
      const { mode } = fs.lstatSync(path);
      fs.chmodSync(path, (mode & 0o7777) | (fs.lstatSync(path).isDirectory() ? 0o700 : 0o600));
      undo.unshift({ kind: "mode", path: encode(path), mode: mode & 0o7777 });
    }
    const attributes = means.includes("attributes") ? volumeAttributes(path) : null;
    if (attributes !== null) {
      if (!setVolumeAttributes(path, shownByVolume(attributes))) throw new EremosError("no-permission", "The volume does not let this account change what hides it. Nothing was changed.");
      undo.unshift({ kind: "attributes", path: encode(path), attributes });
    }
    const { parent, name } = splitPath(path);
    if (means.includes("list")) {
      const list = joinPath(parent, Buffer.from(".hidden"));
      editLines(list, (lines) => lines.filter((line) => line !== name.toString("utf8")));
      undo.unshift({ kind: "line", list: encode(list), line: name.toString("utf8") });
    }
    for (const icon of means.includes("icon") ? ["desktop.ini", "Desktop.ini", ".directory"] : []) {
      const from = joinPath(path, Buffer.from(icon));
      if (fs.existsSync(from)) undo.unshift(rename(disk, from, Buffer.from(`${icon.replace(".", "")} (before)`)));
    }
    if (means.some((one) => one === "dot" || one === "blank" || one === "class-id")) {
      const step = rename(disk, path, Buffer.from(wanted ?? plainName(name.toString("utf8"))));
      undo.unshift(step);
      at = decode(step.to);
    }
    return { path: at, undo };
  } catch (error) {
    putBackHidden(disk, undo);
    throw fromSystemError(error, "bringing it back; it is as it was");
  }
}

/** Under that name, or where it is taken under one like it. */
function rename(disk: Disk, from: Buffer, wanted: Buffer): Extract<Undo, { kind: "rename" }> {
  const { parent, name } = splitPath(from);
  for (let number = 1; ; number++) {
    const to = number === 1 ? wanted : Buffer.from(`${wanted.toString("utf8")} (${number})`);
    try {
      within(disk, disk.openRoot(parent), (dir) => {
        disk.renameExclusive(dir, name, dir, to);
        disk.syncDir(dir);
      });
      return { kind: "rename", from: encode(from), to: encode(joinPath(parent, to)) };
    } catch (error) {
      if (systemCode(error) !== "EEXIST" || number === 100) throw error;
    }
  }
}

/** A home-made lock's script, once nothing depends on it; what it said is kept for undoing. @throws EremosError `not-found` */
export function removeScript(path: Buffer): Undo {
  try {
    const { mode } = fs.lstatSync(path);
    const content = fs.readFileSync(path).toString("base64");
    fs.unlinkSync(path);
    return { kind: "removed", path: encode(path), content, mode: mode & 0o7777 };
  } catch (error) {
    throw fromSystemError(error, "removing the script; it is as it was");
  }
}

/** Hides it again exactly as it was. Stops at the first step that can't be done. @throws EremosError */
export function putBackHidden(disk: Disk, undo: readonly Undo[]): void {
  for (const step of undo) undoOne(disk, step);
}

function undoOne(disk: Disk, step: Undo): void {
  switch (step.kind) {
    case "rename":
      return renameBack(disk, decode(step.to), decode(step.from));
    case "mode":
      return fs.chmodSync(decode(step.path), step.mode);
    case "line":
      return editLines(decode(step.list), (lines) => [...lines, step.line]);
    case "immutable":
      return void setImmutable(decode(step.path), true);
    case "attributes":
      return void setVolumeAttributes(decode(step.path), step.attributes);
    case "removed":
      return fs.writeFileSync(decode(step.path), Buffer.from(step.content, "base64"), { mode: step.mode, flag: "wx" });
  }
}

function renameBack(disk: Disk, from: Buffer, to: Buffer): void {
  const { parent, name } = splitPath(from);
  within(disk, disk.openRoot(parent), (dir) => {
    disk.renameExclusive(dir, name, dir, splitPath(to).name);
    disk.syncDir(dir);
  });
}

/** Line by line; a list that ends up empty goes. */
function editLines(list: Buffer, edit: (lines: readonly string[]) => readonly string[]): void {
  const text = fs.existsSync(list) ? fs.readFileSync(list, "utf8") : "";
  const lines = edit(text.split("\n").filter((line, i, all) => line !== "" || i < all.length - 1));
  if (lines.length === 0) return fs.rmSync(list, { force: true });
  const beside = Buffer.concat([list, Buffer.from(".new")]);
  fs.writeFileSync(beside, `${lines.join("\n")}\n`, { mode: fs.existsSync(list) ? fs.statSync(list).mode & 0o777 : 0o644 });
  fs.renameSync(beside, list);
}
