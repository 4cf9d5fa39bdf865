import * as fs from "node:fs";
import * as path from "node:path";
import { EremosError, displayPath, pathInAddress } from "@eremos/core";
import type { FolderRecord } from "./ledger/registry";
import { said } from "@eremos/words/server/house";

/** Where a path starts that a person typed or pasted on the page: at home, and however it was quoted. */
export const BY_HAND = "~";

/** A typed path as a whole one, with no look at the disk. @throws EremosError `usage` */
export function typedPath(given: string, home: string, from = BY_HAND): string {
  const typed = from === BY_HAND ? unquoted(given) : given;
  const trimmed = typed.startsWith("file:") ? fromAddress(typed) : typed;
  if (trimmed.trim() === "" || trimmed.includes("\0")) throw new EremosError("usage", said("that-is-not-path-nothing"));
  const expanded = trimmed === "~" || trimmed.startsWith("~/") ? path.join(home, trimmed.slice(1)) : trimmed;
  return path.resolve(from === BY_HAND ? home : from, expanded);
}

/** What begins with a slash is a path to the letter; else quotes and blanks around it are not meant. */
function unquoted(typed: string): string {
  if (typed.startsWith("/")) return typed;
  const trimmed = typed.trim();
  const [, , quoted = trimmed] = /^(["'])(.*)\1$/s.exec(trimmed) ?? [];
  return quoted;
}

/**
 * A typed path as the bytes of a full path: "~" and relative parts resolved, links in its parents followed, the last
 * part not. @throws EremosError `usage`
 */
export function fullPath(typed: string, home: string, from = BY_HAND): Buffer {
  const resolved = typedPath(typed, home, from);
  if (resolved === "/") return Buffer.from("/");
  return Buffer.from(path.join(realPathOf(path.dirname(resolved)), path.basename(resolved)));
}

/** From the form in which file managers hand on what is selected. @throws EremosError `usage` */
function fromAddress(address: string): string {
  const path = pathInAddress(address);
  if (!path) throw new EremosError("usage", said("that-is-no-file-address"));
  return displayPath(path);
}

/** The path with every link followed; the path itself where there is nothing. */
export function realPathOf(candidate: string): string {
  try {
    return fs.realpathSync(candidate);
  } catch {
    return candidate;
  }
}

export function encodePath(bytes: Buffer): string {
  return bytes.toString("base64");
}

export function decodePath(text: string): Buffer {
  return Buffer.from(text, "base64");
}

/** In the order in which people look names up; many times as fast as comparing by `localeCompare`. */
export const compareNames = new Intl.Collator().compare;

export function nameOf(bytes: Buffer): string {
  return path.basename(displayPath(bytes));
}

/** A folder as messages and lists name it. */
export function nameFolder(record: FolderRecord): {
  readonly id: string;
  readonly name: string;
  readonly path: string;
} {
  const path = decodePath(record.path);
  return { id: record.id, name: nameOf(path), path: displayPath(path) };
}
