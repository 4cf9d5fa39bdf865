import * as fs from "node:fs";
import * as path from "node:path";
import { sha256 } from "../crypto/bytes";
import { EremosError, fromSystemError, isEremosError } from "../errors/eremos-error";
import { type Original, readGuard, readOriginals } from "../format/guard-record";
import { type StateRecord, isPlainTrue, readState } from "../format/state";
import { directorySource } from "./directory-source";
import type { RescuedEntry } from "./entry";
import { type LockedFolder, type RescueSecret, findLocked, openLocked } from "./locked-folder";
import { readWhole } from "./source";

/** A stretch of a file that could not be brought back, in bytes; zeros stand there. */
export interface LostRange {
  readonly offset: number;
  readonly length: number;
}

export interface DamagedFile {
  /** Where it is in what was brought out. */
  readonly path: string;
  readonly size: number;
  readonly lost: readonly LostRange[];
}

export interface RescueReport {
  readonly guard: "sealed" | "barred" | "sight";
  /** The state it was brought out of, or null: from the packs alone, or not sealed. */
  readonly generation: number | null;
  /** Where the folder lay, where that is known. */
  readonly place: string | null;
  readonly files: number;
  readonly bytes: number;
  readonly damaged: readonly DamagedFile[];
  /** What is wrong with what Eremos keeps in the folder. */
  readonly problems: readonly string[];
  /** What plain files can't be given here: owners, attributes, names this disk can't hold. */
  readonly notGiven: readonly string[];
}

export interface RescueProgress {
  readonly files: number;
  readonly filesTotal: number;
  readonly bytes: number;
  readonly bytesTotal: number;
}

export interface RescueOptions {
  /** Of the locked folder, wherever it lies and whatever it is called now. */
  readonly folder: Buffer;
  /** A directory that is made, or is empty. */
  readonly to: Buffer;
  /** Asked only where it is needed: a barred folder, or one out of sight, is not encrypted. */
  readonly secret: () => Promise<RescueSecret>;
  readonly progress?: (progress: RescueProgress) => void;
}

/**
 * Brings everything out of a locked folder into a directory beside it, and changes nothing in the folder. Needs neither Eremos' database nor
 * its engine. What is damaged is told with its byte ranges; everything else comes out.
 * @throws EremosError `not-protected` | `wrong-password` | `wrong-code` | `needs-folder-password` | `path-taken` | `no-space` | `damaged`
 */
export async function rescue(options: RescueOptions): Promise<RescueReport> {
  const { folder, to } = options;
  requireApart(folder, to);
  const readable = (await guardOf(folder)) ?? (await plainOf(folder));
  if (!readable) await findLocked(directorySource(folder));
  const locked = readable ? null : await openLocked(directorySource(folder), await options.secret());
  try {
    prepare(to);
    const out = new Out(to, options.progress);
    if (locked) await bringOut(out, folder, locked);
    else if (readable) for (const plain of readable.plain) out.copyTree(plain, readable, "instead");
    const { generation = null, place = null, problems = [] } = locked ?? {};
    return { ...out.finish(), guard: readable?.guard ?? "sealed", generation, place: place?.toString("utf8") ?? null, problems: readable?.problems ?? problems };
  } catch (error) {
    throw fromSystemError(error, "bringing files out; the locked folder is as it was");
  } finally {
    locked?.close();
  }
}

const SLASH = Buffer.from(path.sep);
const VAULT = Buffer.from(".eremos");

function join(...parts: readonly Buffer[]): Buffer {
  return Buffer.concat(parts.flatMap((part, i) => (i === 0 ? [part] : [SLASH, part])));
}

/** @throws EremosError `usage` where one lies in the other */
function requireApart(folder: Buffer, to: Buffer): void {
  const [a, b] = [folder, to].map((one) => path.resolve(one.toString("utf8")) + path.sep);
  if (a && b && (b.startsWith(a) || a.startsWith(b))) throw new EremosError("usage", "Bring the files out into another directory than the locked folder, not in it or around it. Nothing was touched.");
}

/** @throws EremosError `path-taken` */
function prepare(to: Buffer): void {
  fs.mkdirSync(to, { recursive: true, mode: 0o700 });
  if (fs.readdirSync(to).length > 0) throw new EremosError("path-taken", `There is something in ${to.toString("utf8")} already. Nothing was touched; give an empty or a new directory.`);
}

/** Plain contents, as far as what Eremos keeps beside them tells of them. */
interface Plain {
  /** Permissions there were before, by names from the folder down, or by device and inode. */
  readonly modes: ReadonlyMap<string, number>;
  /** Whether a file at the top is Eremos' own. */
  readonly isOurs: (name: Buffer, content: () => Buffer) => boolean;
}

interface Readable extends Plain {
  readonly guard: RescueReport["guard"];
  /** Where the contents lie. */
  readonly plain: readonly Buffer[];
  readonly problems: readonly string[];
}

/** A folder that is barred or out of sight. The guard record governs unless the folder has been sealed since. FORMAT.md §10. */
async function guardOf(folder: Buffer): Promise<Readable | null> {
  const source = directorySource(folder);
  const bytes = await readWhole(source, ".eremos/guard.json");
  if (!bytes) return null;
  const { guard, state, originals } = readGuard(bytes);
  if (state === "open" && (await source.size(".eremos/state.json")) !== null) return null;
  const problems: string[] = [];
  let known: readonly Original[] = [];
  try {
    if (originals !== null) known = readOriginals(await readWhole(source, `.eremos/originals-${originals}`), originals);
  } catch (error) {
    if (!isEremosError(error)) throw error;
    problems.push(error.message);
  }
  const modes = new Map(known.map(({ path: names, mode }) => [keyOf(names), mode]));
  return { guard, plain: [join(folder, VAULT, Buffer.from("contents")), folder], modes, isOurs: () => false, problems };
}

/** Whether a file at the top is the page or the icon that a state record knows of, or the page of this folder. */
function oursBy(state: StateRecord | null): Plain["isOurs"] {
  return (name, content) => {
    const text = name.toString("latin1");
    if (text !== "Locked with Eremos.html" && text !== ".directory") return false;
    const digest = sha256(content()).toString("hex");
    return state === null ? text !== ".directory" : digest === state.page || digest === state.icon;
  };
}

function plainBy(state: StateRecord | null): Plain {
  return { modes: new Map(state?.modes.map(({ dev, ino, mode }) => [`${dev}:${ino}`, mode]) ?? []), isOurs: oursBy(state) };
}

const STAGING = Buffer.from("staging");

/** A folder whose readable contents are the true ones, all of them: it was open, on its way in or out, or its first lock had not come far. FORMAT.md §7.2. */
async function plainOf(folder: Buffer): Promise<Readable | null> {
  const source = directorySource(folder);
  const bytes = await readWhole(source, ".eremos/state.json");
  if (!bytes) {
    const isBegun = (await source.list(".eremos")).every((name) => name === "lock" || name.endsWith(".new"));
    return isBegun && fs.existsSync(join(folder, VAULT)) ? { guard: "sealed", plain: [folder], ...plainBy(null), problems: [] } : null;
  }
  const state = stateIn(bytes);
  if (!state || !isPlainTrue(state)) return null;
  return { guard: "sealed", plain: [join(folder, VAULT, STAGING), folder], ...plainBy(state), problems: [] };
}

function stateIn(bytes: Buffer): StateRecord | null {
  try {
    return readState(bytes);
  } catch (error) {
    if (isEremosError(error)) return null;
    throw error;
  }
}

function keyOf(names: readonly Buffer[]): string {
  return names.map((name) => name.toString("latin1")).join("/");
}

/** The sealed copy, what lies readable beside it, and what waits in the drop slot. */
async function bringOut(out: Out, folder: Buffer, locked: LockedFolder): Promise<void> {
  const { state } = locked;
  await out.writeTree(locked);
  // File by file, what is plain is the true one where both have a file; else what lies readable in a locked folder came meanwhile.
  const how = state?.mixed ? "instead" : "beside";
  // In rounds of opening, half-written files lie in `staging`.
  if (state?.mixed && state.state !== "mixed") out.copyTree(join(folder, VAULT, STAGING), plainBy(state), how);
  out.copyTree(folder, plainBy(state), how);
  for (const { name, content } of await locked.drops()) out.writeDropped(name, content);
}

/** Plain files and directories, as they are written. */
class Out {
  private files = 0;
  private bytes = 0;
  private filesTotal = 0;
  private bytesTotal = 0;
  private readonly damaged: DamagedFile[] = [];
  private readonly notGiven = new Set<string>();
  private readonly directories: { readonly at: Buffer; readonly mode: number; readonly atime: number; readonly mtime: number }[] = [];

  constructor(private readonly to: Buffer, private readonly progress: ((progress: RescueProgress) => void) | undefined) {}

  /** Directories get their times and permissions last: filling them changes both. */
  finish(): Pick<RescueReport, "files" | "bytes" | "damaged" | "notGiven"> {
    for (const { at, mode, atime, mtime } of this.directories.reverse()) {
      fs.utimesSync(at, atime, mtime);
      fs.chmodSync(at, mode);
    }
    this.directories.length = 0;
    return { files: this.files, bytes: this.bytes, damaged: this.damaged, notGiven: [...this.notGiven] };
  }

  private tell(files: number, bytes: number): void {
    this.files += files;
    this.bytes += bytes;
    this.progress?.({ files: this.files, filesTotal: Math.max(this.filesTotal, this.files), bytes: this.bytes, bytesTotal: Math.max(this.bytesTotal, this.bytes) });
  }

  async writeTree(locked: LockedFolder): Promise<void> {
    const links = new Map<number, Buffer>();
    for (const { kind, size } of locked.entries) {
      if (kind !== "file") continue;
      this.filesTotal++;
      this.bytesTotal += size;
    }
    for (const entry of locked.entries) {
      const at = join(this.to, ...entry.path);
      try {
        await this.writeEntry(locked, entry, at, links);
      } catch (error) {
        if (!isNameRefused(error)) throw error;
        this.notGiven.add(`${shown(entry.path)}: this disk can't hold it.`);
      }
    }
  }

  private async writeEntry(locked: LockedFolder, entry: RescuedEntry, at: Buffer, links: Map<number, Buffer>): Promise<void> {
    const { meta, kind } = entry;
    if (meta.xattrs.length > 0) this.notGiven.add("Attributes and access lists of files (they stand in the locked folder, and Eremos gives them back).");
    if (process.geteuid && meta.uid !== process.geteuid()) this.notGiven.add("Owners: everything brought out belongs to you.");
    if (kind === "dir") {
      fs.mkdirSync(at, { mode: 0o700, recursive: true });
      this.directories.push({ at, mode: meta.mode & 0o777, atime: seconds(meta.atimeNs), mtime: seconds(meta.mtimeNs) });
    } else if (kind === "link") {
      fs.symlinkSync(entry.target ?? Buffer.alloc(0), at);
      fs.lutimesSync(at, seconds(meta.atimeNs), seconds(meta.mtimeNs));
    } else if (links.has(entry.linkGroup)) {
      fs.linkSync(links.get(entry.linkGroup) ?? at, at);
      this.tell(1, entry.size);
    } else {
      const name = await this.writeFile(locked, entry, at);
      if (entry.linkGroup > 0) links.set(entry.linkGroup, name);
    }
  }

  /** Returns where it is: a damaged one has a name that says so. */
  private async writeFile(locked: LockedFolder, entry: RescuedEntry, at: Buffer): Promise<Buffer> {
    const lost: LostRange[] = [];
    const descriptor = fs.openSync(at, "wx", 0o600);
    try {
      fs.ftruncateSync(descriptor, entry.size);
      for await (const { offset, length, bytes } of locked.read(entry)) {
        if (bytes) fs.writeSync(descriptor, bytes, 0, bytes.length, offset);
        else add(lost, { offset, length });
        this.tell(0, length);
      }
      fs.fchmodSync(descriptor, entry.meta.mode & 0o777);
      fs.futimesSync(descriptor, seconds(entry.meta.atimeNs), seconds(entry.meta.mtimeNs));
    } finally {
      fs.closeSync(descriptor);
    }
    this.tell(1, 0);
    if (lost.length === 0) return at;
    const renamed = freeName(at, " (damaged)");
    fs.renameSync(at, renamed);
    this.damaged.push({ path: path.relative(this.to.toString("utf8"), renamed.toString("utf8")), size: entry.size, lost });
    return renamed;
  }

  writeDropped(name: Buffer, content: Buffer): void {
    const at = join(this.to, name);
    fs.writeFileSync(fs.existsSync(at) ? freeName(at, " (arrived while locked)") : at, content, { flag: "wx", mode: 0o600 });
    this.tell(1, content.length);
  }

  /** What lies there readable. Where there is an entry of that name already, this one takes its place, or stands beside it. */
  copyTree(from: Buffer, plain: Plain, how: "instead" | "beside"): void {
    const stat = fs.lstatSync(from, { throwIfNoEntry: false });
    if (!stat?.isDirectory()) return;
    withAccess(from, stat, 0o500, () => {
      for (const name of list(from)) {
        if (name.equals(VAULT)) continue;
        const at = join(from, name);
        if (fs.lstatSync(at).isFile() && plain.isOurs(name, () => fs.readFileSync(at))) continue;
        this.copy(at, [name], plain, how);
      }
    });
  }

  private copy(from: Buffer, names: readonly Buffer[], plain: Plain, how: "instead" | "beside"): void {
    const stat = fs.lstatSync(from);
    const mode = (plain.modes.get(keyOf(names)) ?? plain.modes.get(`${stat.dev}:${stat.ino}`) ?? stat.mode) & 0o777;
    let at = join(this.to, ...names);
    const there = fs.lstatSync(at, { throwIfNoEntry: false });
    if (there && !(there.isDirectory() && stat.isDirectory())) {
      if (how === "instead") fs.rmSync(at, { recursive: true });
      else at = freeName(at, " (arrived while locked)");
    }
    if (stat.isDirectory()) {
      fs.mkdirSync(at, { mode: 0o700, recursive: true });
      this.directories.push({ at, mode, atime: stat.atimeMs / 1000, mtime: stat.mtimeMs / 1000 });
      withAccess(from, stat, 0o500, () => {
        for (const name of list(from)) this.copy(join(from, name), [...names, name], plain, how);
      });
    } else if (stat.isSymbolicLink()) {
      fs.symlinkSync(fs.readlinkSync(from, { encoding: "buffer" }), at);
      fs.lutimesSync(at, stat.atimeMs / 1000, stat.mtimeMs / 1000);
    } else if (stat.isFile()) {
      withAccess(from, stat, 0o400, () => fs.copyFileSync(from, at));
      fs.chmodSync(at, mode);
      fs.utimesSync(at, stat.atimeMs / 1000, stat.mtimeMs / 1000);
      this.tell(1, stat.size);
    } else this.notGiven.add(`${shown(names)}: neither a file, a folder nor a link.`);
  }
}

/** With the bits that reading needs, where this account barred them for itself; set back afterwards. */
function withAccess(at: Buffer, { mode }: fs.Stats, bits: number, use: () => void): void {
  if ((mode & bits) === bits || process.geteuid?.() === 0) return use();
  fs.chmodSync(at, (mode & 0o7777) | bits);
  try {
    use();
  } finally {
    fs.chmodSync(at, mode & 0o7777);
  }
}

function list(directory: Buffer): Buffer[] {
  return fs.readdirSync(directory, { encoding: "buffer" }).sort(Buffer.compare);
}

/** In the middle of the microsecond that the system cuts it to. */
function seconds(ns: bigint): number {
  return (Number(ns / 1000n) + 0.5) / 1_000_000;
}

function shown(names: readonly Buffer[]): string {
  return names.map((name) => name.toString("utf8")).join("/");
}

/** Neighbouring stretches become one. */
function add(lost: LostRange[], { offset, length }: LostRange): void {
  const last = lost.at(-1);
  if (last && last.offset + last.length === offset) lost[lost.length - 1] = { offset: last.offset, length: last.length + length };
  else lost.push({ offset, length });
}

/** `letter.txt` becomes `letter (damaged).txt`, or a number more where that is taken. */
function freeName(at: Buffer, note: string): Buffer {
  const start = at.lastIndexOf(SLASH) + 1;
  const dot = at.subarray(start + 1).lastIndexOf(".");
  const end = dot < 0 ? at.length : start + 1 + dot;
  for (let n = 1; ; n++) {
    const name = Buffer.concat([at.subarray(0, end), Buffer.from(n === 1 ? note : `${note} ${n}`), at.subarray(end)]);
    if (!fs.lstatSync(name, { throwIfNoEntry: false })) return name;
  }
}

function isNameRefused(error: unknown): boolean {
  const code = error instanceof Error && "code" in error ? error.code : null;
  return code === "EINVAL" || code === "EILSEQ" || code === "ENAMETOOLONG" || code === "EEXIST";
}
