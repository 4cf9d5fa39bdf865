import * as fs from "node:fs";
import { HELD_NAME } from "../engine/hide";
import { hiddenNamesIn } from "../onlooker/hiding";
import { isHiddenByVolume, isImmutable, volumeAttributes } from "../platform/linux/attributes";
import { type Means, meansByName, plainName, shownName } from "./means";
import { type ScriptLock, scriptLocksIn } from "./script-locks";

/** Something that is hidden by a common means. */
export interface HiddenFound {
  readonly path: Buffer;
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

export interface FindHiddenInput {
  readonly places: readonly Buffer[];
  readonly onFound: (found: HiddenFound) => void;
  readonly onScript: (found: ScriptLock) => void;
  readonly onProgress: (progress: { readonly directories: number; readonly at: string }) => void;
  readonly isStopped: () => boolean;
}

export interface HiddenEnd {
  readonly directories: number;
  readonly unreadable: readonly string[];
  readonly isStopped: boolean;
}

const AT_ONCE = 64;
/** What is in a directory is judged by so many entries, so deep. */
const MOST_JUDGED = 400;
const DEEPEST_JUDGED = 4;
const NOT_ON_DISK = new Set(["/proc", "/sys", "/dev", "/run"]);
/** Large, made by programs, and never where somebody hides a folder. */
const NEVER_INSIDE = new Set([".eremos", HELD_NAME.toString(), "node_modules", ".git", ".cache", "__pycache__"]);
/** What people make, and programs do not keep for themselves. */
const PERSONAL = /\.(?:jpe?g|heic|raw|cr2|nef|mp4|mov|avi|mkv|docx?|odt|rtf|xlsx?|ods|pptx?|odp|pdf|txt|csv|mp3|wav|flac|m4a|epub|zip|rar|7z|eml|msg|kdbx)$/i;
const NAMES_OF_ICONS = ["desktop.ini", "Desktop.ini", ".directory"] as const;

/** Looks for what is hidden by common means, and for home-made script locks, below some places. Follows no links, changes nothing. */
export async function findHidden({ places, onFound, onScript, onProgress, isStopped }: FindHiddenInput): Promise<HiddenEnd> {
  const waiting = [...places].reverse();
  const unreadable: string[] = [];
  let directories = 0;
  for (let at = waiting.pop(); at; at = waiting.pop()) {
    if (directories++ % AT_ONCE === 0) {
      onProgress({ directories, at: at.toString("utf8") });
      await new Promise((resolve) => setImmediate(resolve));
      if (isStopped()) return { directories, unreadable, isStopped: true };
    }
    try {
      const entries = fs.readdirSync(at, { withFileTypes: true, encoding: "buffer" });
      const listed = hiddenNamesIn(at.toString("utf8"));
      for (const script of scriptLocksIn(at, entries)) onScript(script);
      const inner: Buffer[] = [];
      for (const entry of entries) {
        const path = Buffer.concat([at, Buffer.from("/"), entry.name]);
        const name = entry.name.toString("utf8");
        if ((!entry.isDirectory() && !entry.isFile()) || NEVER_INSIDE.has(name) || NOT_ON_DISK.has(path.toString("utf8"))) continue;
        // What Eremos hides is found by the search for protected folders.
        if (entry.isDirectory() && fs.existsSync(Buffer.concat([path, Buffer.from("/.eremos")]))) continue;
        const means = meansOf(path, name, entry.isDirectory(), listed);
        if (means.length > 0 && !(NAMES_OF_ICONS as readonly string[]).concat(".hidden").includes(name)) onFound(foundAt(at, path, name, entry.isDirectory(), means));
        else if (entry.isDirectory()) inner.push(path);
      }
      waiting.push(...inner.reverse());
    } catch (error) {
      const code = error instanceof Error && "code" in error ? error.code : null;
      if (code !== "ENOENT" && code !== "ENOTDIR") unreadable.push(at.toString("utf8"));
    }
  }
  return { directories, unreadable, isStopped: false };
}

/** By what an entry is hidden now. */
export function meansAt(path: Buffer): Means[] {
  const at = path.lastIndexOf(0x2f);
  const name = path.subarray(at + 1).toString("utf8");
  const stat = fs.lstatSync(path);
  return meansOf(path, name, stat.isDirectory(), hiddenNamesIn(path.subarray(0, at).toString("utf8") || "/"));
}

function meansOf(path: Buffer, name: string, isDirectory: boolean, listed: ReadonlySet<string>): Means[] {
  const means = meansByName(name);
  if (listed.has(name)) means.push("list");
  const { mode, uid } = fs.lstatSync(path);
  const needed = isDirectory ? 0o500 : 0o400;
  if (uid === process.geteuid?.() && (mode & needed) !== needed) means.push("no-read");
  if (isDirectory || means.length > 0) {
    if (isImmutable(path)) means.push("immutable");
    if (isDirectory && hasOtherIcon(path)) means.push("icon");
  }
  if (isHiddenByVolume(volumeAttributes(path))) means.push("attributes");
  return means;
}

/** An icon of nothing, or of something that is no folder: by the files that desktops read it from. */
function hasOtherIcon(path: Buffer): boolean {
  return NAMES_OF_ICONS.some((name) => {
    try {
      const text = fs.readFileSync(Buffer.concat([path, Buffer.from(`/${name}`)]), "utf8").slice(0, 4096);
      if (name !== ".directory") return /^\s*(?:IconFile|IconResource|CLSID2?)\s*=/im.test(text);
      const icon = /^\s*Icon\s*=\s*(.*)$/im.exec(text)?.[1]?.trim();
      return icon !== undefined && (icon === "" || (icon.startsWith("/") && !fs.existsSync(icon)));
    } catch {
      return false;
    }
  });
}

function foundAt(directory: Buffer, path: Buffer, name: string, isDirectory: boolean, means: readonly Means[]): HiddenFound {
  const judged = isDirectory ? judge(path) : { files: 1, bytes: fs.lstatSync(path).size, personal: PERSONAL.test(name) ? 1 : 0 };
  const isByName = means.every((one) => one === "dot");
  const probably = judged.personal > 0 && judged.personal * 2 >= judged.files ? "yours" : isByName ? "a program's" : "unknown";
  return { path, shown: `${directory.toString("utf8")}/${shownName(name)}`, means, type: isDirectory ? "dir" : "file", files: judged.files, bytes: judged.bytes, probably, name: plainName(name) };
}

function judge(path: Buffer): { readonly files: number; readonly bytes: number; readonly personal: number } {
  let [files, bytes, personal, looked] = [0, 0, 0, 0];
  const visit = (at: Buffer, depth: number): void => {
    let entries: fs.Dirent<Buffer>[];
    try {
      entries = fs.readdirSync(at, { withFileTypes: true, encoding: "buffer" });
    } catch {
      return;
    }
    for (const entry of entries) {
      if (looked++ > MOST_JUDGED) return;
      const inner = Buffer.concat([at, Buffer.from("/"), entry.name]);
      if (entry.isDirectory() && depth < DEEPEST_JUDGED) visit(inner, depth + 1);
      if (!entry.isFile()) continue;
      files++;
      bytes += fs.lstatSync(inner).size;
      if (PERSONAL.test(entry.name.toString("utf8"))) personal++;
    }
  };
  visit(path, 0);
  return { files, bytes, personal };
}
