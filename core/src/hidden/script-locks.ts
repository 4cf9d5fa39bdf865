import type { Disk } from "../platform/port";
import type { WalkEntry } from "../rescue/walk";
import { shownName } from "./means";
import { type Spot, spotAt } from "./spot";
import { say } from "@eremos/words/core/hidden";

/** A script beside a folder that hides or "locks" it, with a password that stands readable in it. */
export interface ScriptLock {
  /** Of the script. */
  readonly path: Buffer;
  readonly spot: Spot;
  readonly shown: string;
  /** What it says it does, in this system's or another's commands. */
  readonly does: readonly string[];
  /** Whether it asks for a password, and that stands in it for everybody to read. */
  readonly hasPassword: boolean;
  /** What it hides, where that is found beside it now. */
  readonly target: Buffer | null;
  readonly targetSpot: Spot | null;
  readonly targetShown: string | null;
  /** What the target was called before the script renamed it, as the script says. */
  readonly originalName: string | null;
}

const SCRIPT = /\.(?:bat|cmd|sh|command|ps1|vbs)$/i;
const MOST_BYTES = 64 * 1024;

const SIGNS: readonly (readonly [RegExp, string])[] = [
  [/\battrib\b[^\n]*\+[hs]/i, say("sets-attributes-hidden-and-system")],
  [/\b(?:ren|rename|move|mv)\b[^\n]*\.\{[0-9a-f]{8}-/i, say("gives-it-name-something-that")],
  [/\bi?cacls\b[^\n]*(?:\/deny|\/[pd]\b|:n\b)/i, say("takes-permissions-away")],
  [/\bchmod\b[^\n]*\b(?:0{3,4}|[ugoa]*-[rwx]+)\b/i, say("takes-permissions-away")],
  [/\bchflags\b[^\n]*hidden/i, say("sets-flag-that-hides-it")],
  [/\bchattr\b[^\n]*\+i/i, say("lets-nobody-change-it")],
  [/\bmv\b[^\n]*\s["']?(?:\.?\/)?\.[A-Za-z0-9_]/, say("gives-it-name-with-dot")],
];
const PASSWORD: readonly RegExp[] = [
  /if\s+(?:\/i\s+)?(?:not\s+)?["']?%[\w ]+%["']?\s*(?:==|equ|neq)\s*["']?[^\s"'%]+/i,
  /\[\[?\s*["']?\$\{?\w+\}?["']?\s*(?:=|==|!=)\s*["']?[^\s"'$\]]+/,
  /-(?:eq|ceq|ne)\s+["'][^"'$]+["']/i,
  /\bInputBox\b/i,
];

/** Scripts among these entries that hide something beside them. */
export function scriptLocksIn(disk: Disk, directory: Buffer, entries: readonly WalkEntry[]): ScriptLock[] {
  return entries.flatMap((entry): ScriptLock[] => {
    const name = entry.name.toString("utf8");
    if (!entry.isFile() || !SCRIPT.test(name)) return [];
    const path = Buffer.concat([directory, Buffer.from("/"), entry.name]);
    const found = readScript(textOf(disk, path));
    if (!found) return [];
    const target = found.names.map((one) => besideAs(directory, entries, one)).find((one) => one !== null) ?? null;
    return [
      {
        path,
        spot: spotAt(disk, path),
        targetSpot: target && spotAt(disk, target),
        shown: `${directory.toString("utf8")}/${shownName(name)}`,
        does: found.does,
        hasPassword: found.hasPassword,
        target,
        targetShown: target && `${directory.toString("utf8")}/${shownName(nameIn(directory, target))}`,
        originalName: target && originalName(textOf(disk, path), nameIn(directory, target)),
      },
    ];
  });
}

function nameIn(directory: Buffer, target: Buffer): string {
  return target.subarray(directory.length + 1).toString("utf8");
}

/** From `ren Before "After"` or `mv Before After`. */
function originalName(text: string, now: string): string | null {
  const quoted = now.replace(/[.*+?^${}()|[\]\\]/g, "\\$&");
  const found = new RegExp(`\\b(?:ren|rename|move|mv)\\s+(?:"([^"%$]+)"|([^\\s"%$]+))\\s+"?${quoted}"?`, "i").exec(
    text,
  );
  const name = baseOf(found?.[1] ?? found?.[2] ?? "");
  return name === "" || name.startsWith(".") ? null : name;
}

/** Nothing of one that is longer than a script is. */
function textOf({ looks }: Disk, path: Buffer): string {
  const bytes = looks.read(path, MOST_BYTES + 1);
  return bytes && bytes.length <= MOST_BYTES ? bytes.toString("utf8") : "";
}

export interface ReadScript {
  readonly does: readonly string[];
  readonly hasPassword: boolean;
  /** Names it mentions, the likeliest first. */
  readonly names: readonly string[];
}

/** What a script does, if it hides or bars something; else null. */
export function readScript(text: string): ReadScript | null {
  const does = [...new Set(SIGNS.flatMap(([pattern, words]) => (pattern.test(text) ? [words] : [])))];
  const hasPassword = PASSWORD.some((pattern) => pattern.test(text));
  // One sign alone is what many honest scripts have.
  if (does.length === 0 || (!hasPassword && does.length < 2)) return null;
  return { does, hasPassword, names: namesIn(text) };
}

function namesIn(text: string): string[] {
  const names = new Set<string>();
  for (const line of text
    .split(/\r?\n/)
    .filter((one) => /\b(?:attrib|ren|rename|move|mv|i?cacls|chmod|chflags|chattr)\b/i.test(one))) {
    for (const [, quoted] of line.matchAll(/["']([^"'%$]+)["']/g)) if (quoted) names.add(baseOf(quoted));
    for (const word of line.split(/\s+/).slice(1)) if (!/^[-+/%$0-9"']/.test(word)) names.add(baseOf(word));
  }
  return [...names].filter((name) => name !== "" && name !== "." && name !== "..");
}

function baseOf(path: string): string {
  return (
    path
      .replace(/[/\\]+$/, "")
      .split(/[/\\]/)
      .at(-1) ?? ""
  );
}

/** A directory beside the script that has this name now, or had it before it was hidden. */
function besideAs(directory: Buffer, entries: readonly WalkEntry[], name: string): Buffer | null {
  const found = entries.find((entry) => entry.isDirectory() && entry.name.toString("utf8") === name);
  return found ? Buffer.concat([directory, Buffer.from("/"), found.name]) : null;
}
