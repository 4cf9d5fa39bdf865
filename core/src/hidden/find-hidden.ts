import { HELD_NAME } from "../engine/visibility";
import { systemCode } from "../errors/eremos-error";
import { hiddenNamesIn } from "../onlooker/hiding";
import type { Disk, Looks, PlainEntry } from "../platform/port";
import { type Walk, type WalkEnd, below, walk } from "../rescue/walk";
import { type Means, isHiddenByVolume, meansByName, plainName, shownName } from "./means";
import { type Spot, spotAt } from "./spot";
import { type ScriptLock, scriptLocksIn } from "./script-locks";

/** Something that is hidden by a common means. */
export interface HiddenFound {
  readonly path: Buffer;
  /** What it has to be when it is brought back. */
  readonly spot: Spot;
  /** For people: its directory, and its name with what can't be seen told. */
  readonly shown: string;
  readonly means: readonly Means[];
  readonly type: "dir" | "file";
  /** Of a directory: as far as it was looked into. */
  readonly files: number;
  readonly bytes: number;
  /** By what is in it: somebody's own documents, or what a program keeps for itself. */
  readonly probably: "yours" | "a program's" | "unknown";
  /** The name it would get. */
  readonly name: string;
}

export interface FindHiddenInput extends Walk {
  readonly disk: Disk;
  readonly onFound: (found: HiddenFound) => void;
  readonly onScript: (found: ScriptLock) => void;
}

export type HiddenEnd = WalkEnd;

/** What is in a directory is judged by so many entries, so deep. */
const MOST_JUDGED = 400;
const DEEPEST_JUDGED = 4;
/** Large, made by programs, and never where somebody hides a folder. */
const NEVER_INSIDE = new Set([".eremos", HELD_NAME.toString(), "node_modules", ".git", ".cache", "__pycache__"]);
/** What people make, and programs do not keep for themselves. */
const PERSONAL =
  /\.(?:jpe?g|heic|raw|cr2|nef|mp4|mov|avi|mkv|docx?|odt|rtf|xlsx?|ods|pptx?|odp|pdf|txt|csv|mp3|wav|flac|m4a|epub|zip|rar|7z|eml|msg|kdbx)$/i;
const NAMES_OF_ICONS = ["desktop.ini", "Desktop.ini", ".directory"] as const;
/** By which things are hidden, and which are not hidden things themselves. */
const NAMES_OF_LISTS = [...NAMES_OF_ICONS, ".hidden"] as const;

/**
 * Looks for what is hidden by common means, and for home-made script locks, below some places. Follows no links,
 * changes nothing.
 */
export function findHidden({ disk, onFound, onScript, ...places }: FindHiddenInput): Promise<HiddenEnd> {
  return walk(places, async (at, entries) => {
    const listed = hiddenNamesIn(disk.looks, at);
    for (const script of scriptLocksIn(disk, at, entries)) onScript(script);
    return entries.flatMap((entry) => {
      const path = below(at, entry.name);
      const name = entry.name.toString("utf8");
      if (
        (!entry.isDirectory() && !entry.isFile()) ||
        NEVER_INSIDE.has(name) ||
        (NAMES_OF_LISTS as readonly string[]).includes(name)
      )
        return [];
      // What Eremos hides is found by the search for protected folders.
      if (entry.isDirectory() && disk.looks.isThere(below(path, Buffer.from(".eremos")))) return [];
      const means = stillThere(() => meansOf(disk, path, name, entry.isDirectory(), listed)) ?? [];
      const found =
        means.length > 0 ? stillThere(() => foundAt(disk, at, path, name, entry.isDirectory(), means)) : null;
      if (found) onFound(found);
      return means.length === 0 && entry.isDirectory() ? [path] : [];
    });
  });
}

/** One that goes while the others in its directory are looked at is no reason to leave those out. */
function stillThere<T>(look: () => T): T | null {
  try {
    return look();
  } catch (error) {
    if (systemCode(error) === "ENOENT") return null;
    throw error;
  }
}

/** @throws ENOENT */
function entryAt(looks: Looks, path: Buffer): PlainEntry {
  const entry = looks.entry(path);
  if (entry) return entry;
  throw Object.assign(new Error("there is nothing there any more"), { code: "ENOENT" });
}

/** By what an entry is hidden now. */
export function meansAt(disk: Disk, path: Buffer): Means[] {
  const at = path.lastIndexOf(0x2f);
  const name = path.subarray(at + 1).toString("utf8");
  return meansOf(
    disk,
    path,
    name,
    entryAt(disk.looks, path).type === "dir",
    hiddenNamesIn(disk.looks, at <= 0 ? Buffer.from("/") : path.subarray(0, at)),
  );
}

function meansOf(
  { flags, looks }: Disk,
  path: Buffer,
  name: string,
  isDirectory: boolean,
  listed: ReadonlySet<string>,
): Means[] {
  const means = meansByName(name);
  if (listed.has(name)) means.push("list");
  const { mode, uid } = entryAt(looks, path);
  const needed = isDirectory ? 0o500 : 0o400;
  if (uid === process.geteuid?.() && (mode & needed) !== needed) means.push("no-read");
  if (isDirectory || means.length > 0) {
    if (flags.isImmutable(path)) means.push("immutable");
    if (isDirectory && hasOtherIcon(looks, path)) means.push("icon");
  }
  if (isHiddenByVolume(flags.volumeAttributes(path))) means.push("attributes");
  return means;
}

/** An icon of nothing, or of something that is no folder: by the files that desktops read it from. */
function hasOtherIcon(looks: Looks, path: Buffer): boolean {
  return NAMES_OF_ICONS.some((name) => {
    const text = looks.read(below(path, Buffer.from(name)), 4096)?.toString("utf8");
    if (text === undefined) return false;
    if (name !== ".directory") return /^\s*(?:IconFile|IconResource|CLSID2?)\s*=/im.test(text);
    const icon = /^\s*Icon\s*=\s*(.*)$/im.exec(text)?.[1]?.trim();
    return icon !== undefined && (icon === "" || (icon.startsWith("/") && !looks.isThere(Buffer.from(icon))));
  });
}

function foundAt(
  disk: Disk,
  directory: Buffer,
  path: Buffer,
  name: string,
  isDirectory: boolean,
  means: readonly Means[],
): HiddenFound {
  const judged = isDirectory
    ? judge(disk.looks, path)
    : { files: 1, bytes: entryAt(disk.looks, path).size, personal: PERSONAL.test(name) ? 1 : 0 };
  const isByName = means.every((one) => one === "dot");
  const probably =
    judged.personal > 0 && judged.personal * 2 >= judged.files ? "yours" : isByName ? "a program's" : "unknown";
  return {
    path,
    spot: spotAt(disk, path),
    shown: `${directory.toString("utf8")}/${shownName(name)}`,
    means,
    type: isDirectory ? "dir" : "file",
    files: judged.files,
    bytes: judged.bytes,
    probably,
    name: plainName(name),
  };
}

function judge(
  looks: Looks,
  path: Buffer,
): { readonly files: number; readonly bytes: number; readonly personal: number } {
  let [files, bytes, personal, looked] = [0, 0, 0, 0];
  const visit = (at: Buffer, depth: number): void => {
    let entries: ReturnType<Looks["listing"]>;
    try {
      entries = looks.listing(at);
    } catch {
      return;
    }
    for (const entry of entries) {
      if (looked++ > MOST_JUDGED) return;
      const inner = below(at, entry.name);
      if (entry.type === "dir" && depth < DEEPEST_JUDGED) visit(inner, depth + 1);
      if (entry.type !== "file") continue;
      files++;
      bytes += entryAt(looks, inner).size;
      if (PERSONAL.test(entry.name.toString("utf8"))) personal++;
    }
  };
  visit(path, 0);
  return { files, bytes, personal };
}
