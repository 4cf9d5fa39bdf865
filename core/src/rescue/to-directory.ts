import * as fs from "node:fs";
import * as path from "node:path";
import { sha256 } from "../crypto/bytes";
import { EremosError, fromSystemError, isEremosError } from "../errors/eremos-error";
import type { GuardName } from "../format/guards";
import { type Original, readOriginals } from "../format/guard-record";
import { PAGE, SIGN_NAMES, type StateRecord, isPlainTrue } from "../format/state";
import { heldName, heldNames, nameKey } from "../format/held-name";
import { markedName } from "../format/marked-name";
import { isName } from "../format/tree";
import { whatContradicts } from "./contradiction";
import { directorySource } from "./directory-source";
import { type Dress, type Dresser, plainDresser } from "./dresser";
import type { RescuedEntry } from "./entry";
import { HeldDirectory, isNoDirectory } from "./held-directory";
import { findLocked, readGuardIn } from "./find-locked";
import type { RescueSecret } from "./keys-of-folder";
import { type LockedFolder, openLocked } from "./locked-folder";
import { readWhole } from "./source";
import { findState } from "./state-record";
import { said, say } from "@eremos/words/core/rescue";

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
  readonly guard: GuardName;
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
  /** Also where nobody known stands behind what was locked. */
  readonly acceptUnknown?: boolean;
  /** What gives entries all that belongs to them; plain Node where there is nothing better. */
  readonly dresser?: Dresser;
}

/**
 * Brings everything out of a locked folder into a directory beside it, and changes nothing in the folder. Needs neither
 * Eremos' database nor its engine. What is damaged is told with its byte ranges; everything else comes out.
 * @throws EremosError `unvouched` | `not-protected` | `wrong-password` | `wrong-code` | `needs-folder-password` |
 * `path-taken` | `no-space` | `damaged`
 */
export async function rescue(options: RescueOptions): Promise<RescueReport> {
  const { folder, to } = options;
  requireApart(folder, to);
  const contradiction = await whatContradicts(directorySource(folder));
  const readable = (await guardOf(folder)) ?? (contradiction === null ? await plainOf(folder) : null);
  if (!readable) await findLocked(directorySource(folder));
  const locked = readable ? null : await openLocked(directorySource(folder), await options.secret());
  try {
    if (locked?.doubt && !options.acceptUnknown)
      throw new EremosError("unvouched", said("nothing-was-brought-out-do", { doubt: locked.doubt }));
    const out = new Out(prepare(to), options.dresser ?? plainDresser, options.progress);
    try {
      if (locked) await bringOut(out, folder, locked);
      else if (readable) for (const inner of readable.plain) out.copyTree(folder, inner, readable, "instead");
      const { generation = null, place = null, problems = [], doubt = null } = locked ?? {};
      return {
        ...out.finish(),
        guard: readable?.guard ?? "sealed",
        generation,
        place: place?.toString("utf8") ?? null,
        problems: [
          ...(doubt === null ? [] : [doubt]),
          ...(contradiction !== null && locked ? [say("what-is-encrypted-was-brought", { contradiction })] : []),
          ...(readable?.problems ?? problems),
        ],
      };
    } finally {
      out.close();
    }
  } catch (error) {
    throw fromSystemError(error, said("bringing-files-out-locked-folder"));
  } finally {
    locked?.close();
  }
}

const SLASH = Buffer.from(path.sep);
const OWN_DIR = Buffer.from(".eremos");

function join(...parts: readonly Buffer[]): Buffer {
  return Buffer.concat(parts.flatMap((part, i) => (i === 0 ? [part] : [SLASH, part])));
}

/** @throws EremosError `usage` where one lies in the other */
function requireApart(folder: Buffer, to: Buffer): void {
  const [a, b] = [folder, to].map((one) => path.resolve(one.toString("utf8")) + path.sep);
  if (a && b && (b.startsWith(a) || a.startsWith(b)))
    throw new EremosError("usage", said("bring-files-out-into-another"));
}

/** @throws EremosError `path-taken` */
function prepare(to: Buffer): HeldDirectory {
  fs.mkdirSync(to, { recursive: true, mode: 0o700 });
  const held = HeldDirectory.open(to);
  if (held.list().length === 0) return held;
  held.close();
  throw new EremosError("path-taken", said("there-is-something-in-already", { to: to.toString("utf8") }));
}

/** Plain contents, as far as what Eremos keeps beside them tells of them. */
interface Plain {
  /** Permissions there were before, by names from the folder down, or by device and inode. */
  readonly permissions: ReadonlyMap<string, { readonly mode: number; readonly acl?: Buffer | null }>;
  /** Whether a file at the top is Eremos' own. */
  readonly isOurs: (name: Buffer, content: () => Buffer) => boolean;
}

interface Readable extends Plain {
  readonly guard: RescueReport["guard"];
  /** Where the contents lie, in the folder: names from it down. */
  readonly plain: readonly (readonly Buffer[])[];
  readonly problems: readonly string[];
}

/**
 * A folder that is barred or out of sight. The guard record governs unless the folder has been sealed since. FORMAT.md
 * §10.
 */
async function guardOf(folder: Buffer): Promise<Readable | null> {
  const source = directorySource(folder);
  const known = await readGuardIn(source);
  if (!known) return null;
  const { guard, state, originals } = known;
  const { record, isThere } = await findState(source);
  // A guard record beside that of a sealed folder whose sealed copy is the true one may be anybody's.
  if (isThere && (state === "open" || !record || !isPlainTrue(record))) return null;
  const problems: string[] = [];
  let before: readonly Original[] = [];
  try {
    if (originals !== null)
      before = readOriginals(await readWhole(source, `.eremos/originals-${originals}`), originals);
  } catch (error) {
    if (!isEremosError(error)) throw error;
    problems.push(error.message);
  }
  const permissions = new Map(before.map(({ path: names, mode, acl }) => [keyOf(names), { mode, acl }]));
  return { guard, plain: [[OWN_DIR, Buffer.from("contents")], []], permissions, isOurs: () => false, problems };
}

/** Whether a file at the top is a sign that a state record knows of; without a record, the page. */
function oursBy(state: StateRecord | null): Plain["isOurs"] {
  return (name, content) => {
    const text = name.toString("latin1");
    if (!SIGN_NAMES.has(text)) return false;
    const digest = sha256(content()).toString("hex");
    return state === null ? text === PAGE : state.shows.some((shown) => shown.name === text && shown.digest === digest);
  };
}

function plainBy(state: StateRecord | null): Plain {
  return {
    permissions: new Map(state?.modes.map(({ dev, ino, mode }) => [`${dev}:${ino}`, { mode }]) ?? []),
    isOurs: oursBy(state),
  };
}

const STAGING = Buffer.from("staging");

/**
 * A folder whose readable contents are the true ones, all of them: it was open, on its way in or out, or its first lock
 * had not come far. FORMAT.md §7.2.
 */
async function plainOf(folder: Buffer): Promise<Readable | null> {
  const source = directorySource(folder);
  const { record, isThere, isElsewhere } = await findState(source);
  if (!isThere) {
    const isBegun = (await source.list(".eremos")).every((name) => name === "lock" || name.endsWith(".new"));
    return isBegun && fs.existsSync(join(folder, OWN_DIR))
      ? { guard: "sealed", plain: [[]], ...plainBy(null), problems: [] }
      : null;
  }
  if (!record || !isPlainTrue(record)) return null;
  // A copy of a folder that lay open lies open; what was under way elsewhere is not under way here.
  if (isElsewhere && record.state !== "open") return null;
  return { guard: "sealed", plain: [[OWN_DIR, STAGING], []], ...plainBy(record), problems: [] };
}

function keyOf(names: readonly Buffer[]): string {
  return names.map((name) => name.toString("latin1")).join("/");
}

/** The sealed copy, what lies readable beside it, and what waits in the drop slot. */
async function bringOut(out: Out, folder: Buffer, locked: LockedFolder): Promise<void> {
  const { state } = locked;
  await out.writeTree(locked);
  // File by file, what is plain is the true one where both have a file; else what lies readable in a locked folder came
  // meanwhile.
  const how = state?.mixed ? "instead" : "beside";
  // In rounds of opening, half-written files lie in `staging`.
  if (state?.mixed && state.state !== "mixed") out.copyTree(folder, [OWN_DIR, STAGING], plainBy(state), how);
  // Where it is said to lie open, and does not, what it shows while it is locked is not in the record.
  out.copyTree(folder, [], plainBy(state?.state === "open" ? null : state), how);
  for (const { name, content } of await locked.drops()) out.writeDropped(name, content);
}

/** A file that was written, by its first name. */
interface Written {
  readonly path: readonly Buffer[];
  readonly name: Buffer;
  readonly lost: readonly LostRange[];
}

/**
 * Plain files and directories, as they are written: each into a directory that is held, so that nothing leads out of
 * where they belong.
 */
class Out {
  private files = 0;
  private bytes = 0;
  private filesTotal = 0;
  private bytesTotal = 0;
  private readonly damaged: DamagedFile[] = [];
  private readonly notGiven = new Set<string>();
  private readonly directories: { readonly path: readonly Buffer[]; readonly dress: Dress }[] = [];
  /** The directories that are held now, from the top down. */
  private readonly held: { readonly name: Buffer; readonly dir: HeldDirectory }[] = [];

  /** Files of several names that lay readable, by device and inode. */
  private readonly copied = new Map<string, Pick<Written, "path" | "name">>();

  /** Null: every name is held as it is. */
  private forms: ReadonlyMap<string, Buffer> | null = null;

  constructor(
    private readonly root: HeldDirectory,
    private readonly dresser: Dresser,
    private readonly progress: ((progress: RescueProgress) => void) | undefined,
  ) {
    if (!root.holdsNames()) this.forms = new Map();
  }

  /** The name an entry gets here. FORMAT.md §5.6. */
  private formOf(name: Buffer): Buffer {
    if (!this.forms) return name;
    const form = this.forms.get(nameKey(name)) ?? heldName(name);
    if (!form.equals(name)) this.notGiven.add(say("names-that-this-disk-cant"));
    return form;
  }

  /** Directories get their times and permissions last: filling them changes both. */
  finish(): Pick<RescueReport, "files" | "bytes" | "damaged" | "notGiven"> {
    for (const { path: at, dress } of this.directories.reverse())
      this.within(at, (dir) => this.note(dir.dress(this.dresser, dress)));
    this.directories.length = 0;
    return { files: this.files, bytes: this.bytes, damaged: this.damaged, notGiven: [...this.notGiven] };
  }

  close(): void {
    this.leave(0);
    this.root.close();
  }

  private note(notGiven: readonly string[]): void {
    for (const one of notGiven) this.notGiven.add(one);
  }

  private tell(files: number, bytes: number): void {
    this.files += files;
    this.bytes += bytes;
    this.progress?.({
      files: this.files,
      filesTotal: Math.max(this.filesTotal, this.files),
      bytes: this.bytes,
      bytesTotal: Math.max(this.bytesTotal, this.bytes),
    });
  }

  private leave(depth: number): void {
    for (const { dir } of this.held.splice(depth)) dir.close();
  }

  /**
   * In the directory of this path, entered name by name. Where something else has the place of one of them, that is
   * told.
   */
  private within(names: readonly Buffer[], use: (dir: HeldDirectory) => void): void {
    try {
      use(this.enter(names));
    } catch (error) {
      if (!isNoDirectory(error)) throw error;
      this.leave(0);
      this.notGiven.add(say("something-else-was-put-in", { names: shown(names) }));
    }
  }

  private enter(names: readonly Buffer[]): HeldDirectory {
    let depth = 0;
    while (
      depth < this.held.length &&
      depth < names.length &&
      names[depth]?.equals(this.held[depth]?.name ?? Buffer.alloc(0))
    )
      depth++;
    this.leave(depth);
    for (const name of names.slice(depth))
      this.held.push({ name, dir: (this.held.at(-1)?.dir ?? this.root).enter(name) });
    return this.held.at(-1)?.dir ?? this.root;
  }

  async writeTree(locked: LockedFolder): Promise<void> {
    const links = new Map<number, Written>();
    if (this.forms) this.forms = heldNames(locked.entries.flatMap(({ path: names }) => names.slice(-1)));
    for (const { kind, size } of locked.entries) {
      if (kind !== "file") continue;
      this.filesTotal++;
      this.bytesTotal += size;
    }
    for (const entry of locked.entries) {
      try {
        await this.writeEntry(
          locked,
          this.forms ? { ...entry, path: entry.path.map((name) => (isName(name) ? this.formOf(name) : name)) } : entry,
          links,
        );
      } catch (error) {
        if (isNoDirectory(error))
          this.notGiven.add(say("something-else-was-put-in-place", { path: shown(entry.path) }));
        else if (isNameRefused(error)) this.notGiven.add(say("this-disk-cant-hold-it", { path: shown(entry.path) }));
        else throw error;
      }
    }
  }

  private async writeEntry(locked: LockedFolder, entry: RescuedEntry, links: Map<number, Written>): Promise<void> {
    const { meta, kind } = entry;
    const [above, own] = [entry.path.slice(0, -1), entry.path.at(-1)];
    if (!own || !entry.path.every(isName))
      return void this.notGiven.add(say("that-is-no-name-file", { path: shown(entry.path) }));
    if (kind === "dir") return this.makeDir(entry.path, meta);
    const dir = this.enter(above);
    const name = this.freeFor(dir, own, entry.path);
    const first = links.get(entry.linkGroup);
    if (kind === "link") this.makeLink(dir, name, entry.target ?? Buffer.alloc(0), meta, entry.path);
    else if (first && this.linkTo(first, above, name)) {
      // Each of its names says that it is damaged.
      if (first.lost.length > 0) dir.rename(name, this.damagedName(dir, name, entry, first.lost));
      this.tell(1, entry.size);
    } else {
      const written = await this.writeFile(locked, entry, dir, name);
      if (entry.linkGroup > 0) links.set(entry.linkGroup, { path: above, ...written });
    }
  }

  private makeDir(names: readonly Buffer[], dress: Dress): void {
    const name = names.at(-1);
    const dir = this.enter(names.slice(0, -1));
    if (!name) return;
    if (!dir.find(name)) dir.makeDir(name);
    this.directories.push({ path: names, dress });
  }

  private makeLink(dir: HeldDirectory, name: Buffer, target: Buffer, dress: Dress, names: readonly Buffer[]): void {
    try {
      dir.makeLink(name, target);
    } catch (error) {
      if (!isLinkRefused(error)) throw error;
      return void this.notGiven.add(
        say("link-which-this-disk-cant", { names: shown(names), target: target.toString("utf8") }),
      );
    }
    this.note(dir.dressLink(this.dresser, name, dress));
  }

  /**
   * Two directories at once: the one of the first name is held by itself. False where this disk gives no file a second
   * name.
   */
  private linkTo(first: Pick<Written, "path" | "name">, above: readonly Buffer[], name: Buffer): boolean {
    const from = first.path.reduce<HeldDirectory[]>(
      (chain, part) => [...chain, (chain.at(-1) ?? this.root).enter(part)],
      [],
    );
    try {
      this.enter(above).makeHardLink(from.at(-1) ?? this.root, first.name, name);
      return true;
    } catch (error) {
      if (!isLinkRefused(error)) throw error;
      this.notGiven.add(say("second-names-one-file-each"));
      return false;
    } finally {
      for (const one of from) one.close();
    }
  }

  /** Its own name; or a free one, which is told, where somebody has put something there meanwhile. */
  private freeFor(dir: HeldDirectory, name: Buffer, names: readonly Buffer[]): Buffer {
    if (!dir.find(name)) return name;
    const free = markedName(name, "brought out", (one) => dir.find(one) !== null);
    this.notGiven.add(say("something-else-has-taken-its", { names: shown(names), free: free.toString("utf8") }));
    return free;
  }

  /** Returns its name, which says so of a damaged one. */
  private async writeFile(
    locked: LockedFolder,
    entry: RescuedEntry,
    dir: HeldDirectory,
    name: Buffer,
  ): Promise<Omit<Written, "path">> {
    const lost: LostRange[] = [];
    const descriptor = dir.create(name);
    try {
      fs.ftruncateSync(descriptor, entry.size);
      for await (const { offset, length, bytes } of locked.read(entry)) {
        if (bytes) fs.writeSync(descriptor, bytes, 0, bytes.length, offset);
        else add(lost, { offset, length });
        this.tell(0, length);
      }
      this.note(this.dresser.give(descriptor, entry.meta));
    } finally {
      fs.closeSync(descriptor);
    }
    this.tell(1, 0);
    if (lost.length === 0) return { name, lost };
    const renamed = this.damagedName(dir, name, entry, lost);
    dir.rename(name, renamed);
    return { name: renamed, lost };
  }

  private damagedName(
    dir: HeldDirectory,
    name: Buffer,
    { path: names, size }: RescuedEntry,
    lost: readonly LostRange[],
  ): Buffer {
    const marked = markedName(name, "damaged", (one) => dir.find(one) !== null);
    this.damaged.push({ path: shown([...names.slice(0, -1), marked]), size, lost });
    return marked;
  }

  writeDropped(name: Buffer, content: Buffer): void {
    const own = this.formOf(name);
    const at = this.root.find(own)
      ? markedName(own, "arrived while locked", (one) => this.root.find(one) !== null)
      : own;
    const descriptor = this.root.create(at);
    try {
      fs.writeSync(descriptor, content, 0, content.length, 0);
    } finally {
      fs.closeSync(descriptor);
    }
    this.tell(1, content.length);
  }

  /**
   * What lies there readable, from a directory down. Where there is an entry of that name already, this one takes its
   * place, or stands beside it.
   */
  copyTree(folder: Buffer, inner: readonly Buffer[], plain: Plain, how: "instead" | "beside"): void {
    const chain: HeldDirectory[] = [];
    try {
      const { parent, name } = splitLast(folder);
      chain.push(HeldDirectory.open(parent));
      for (const part of [name, ...inner]) {
        const last = chain.at(-1);
        if (!last?.find(part)?.isDirectory()) return;
        withAccess(last, part, 0o500, () => chain.push(last.enter(part)));
      }
      this.copyEntries(chain.at(-1), [], plain, how);
    } finally {
      for (const one of chain) one.close();
    }
  }

  private copyEntries(
    from: HeldDirectory | undefined,
    above: readonly Buffer[],
    plain: Plain,
    how: "instead" | "beside",
  ): void {
    for (const name of from?.list() ?? []) {
      if (above.length === 0 && (name.equals(OWN_DIR) || (from && isOurs(from, name, plain)))) continue;
      if (from) this.copy(from, name, above, plain, how);
    }
  }

  private copy(
    from: HeldDirectory,
    own: Buffer,
    above: readonly Buffer[],
    plain: Plain,
    how: "instead" | "beside",
  ): void {
    const stat = from.find(own);
    if (!stat) return;
    const names = [...above, own];
    const { mode, acl } = plain.permissions.get(keyOf(names)) ??
      plain.permissions.get(`${stat.dev}:${stat.ino}`) ?? { mode: stat.mode };
    const dress = (is: Dress): Dress => withPermissions(is, mode & 0o7777, acl);
    const dir = this.enter(above);
    const its = this.formOf(own);
    const there = dir.find(its);
    let name = its;
    if (there && !(there.isDirectory() && stat.isDirectory())) {
      if (how === "instead") dir.remove(its);
      else name = markedName(its, "arrived while locked", (one) => dir.find(one) !== null);
    }
    if (stat.isDirectory()) {
      const at = [...above, name];
      withAccess(from, own, 0o500, () => {
        const inner = from.enter(own);
        try {
          this.makeDir(at, dress(inner.ownDress(this.dresser)));
          this.copyEntries(inner, at, plain, how);
        } finally {
          inner.close();
        }
      });
    } else if (stat.isSymbolicLink()) {
      this.makeLink(dir, name, from.readLink(own), from.linkDress(this.dresser, own), names);
    } else if (stat.isFile()) {
      const isLinked = this.copyOnce(stat, { path: above, name }, () =>
        withAccess(from, own, 0o400, () => this.copyFile(from, own, dir, name, dress)),
      );
      // Of several names the bars may have been written down under this one alone.
      if (isLinked && plain.permissions.has(keyOf(names)))
        withAccess(from, own, 0o400, () => this.dressAgain(from, own, dir, name, dress));
    } else this.notGiven.add(say("neither-file-folder-nor-link", { names: shown(names) }));
  }

  /** A file of several names is copied under the first, and linked under the others. Returns whether it was linked. */
  private copyOnce({ dev, ino, nlink, size }: fs.Stats, to: Pick<Written, "path" | "name">, copy: () => void): boolean {
    const first = nlink > 1 ? this.copied.get(`${dev}:${ino}`) : undefined;
    if (first && this.linkTo(first, to.path, to.name)) {
      this.tell(1, size);
      return true;
    }
    copy();
    if (nlink > 1) this.copied.set(`${dev}:${ino}`, to);
    return false;
  }

  private dressAgain(
    from: HeldDirectory,
    own: Buffer,
    dir: HeldDirectory,
    name: Buffer,
    dress: (is: Dress) => Dress,
  ): void {
    const source = from.openRead(own);
    if (source === null) return;
    try {
      const its = dress(this.dresser.of(source));
      let given: number | undefined;
      withAccess(dir, name, 0o400, () => {
        const target = dir.openRead(name);
        if (target === null) return;
        try {
          this.note(this.dresser.give(target, its));
          given = fs.fstatSync(target).mode;
        } finally {
          fs.closeSync(target);
        }
      });
      if (given !== undefined) dir.setMode(name, given & 0o7777);
    } finally {
      fs.closeSync(source);
    }
  }

  private copyFile(
    from: HeldDirectory,
    own: Buffer,
    dir: HeldDirectory,
    name: Buffer,
    dress: (is: Dress) => Dress,
  ): void {
    const source = from.openRead(own);
    if (source === null) return;
    try {
      const target = dir.create(name);
      try {
        const its = dress(this.dresser.of(source));
        const { size } = fs.fstatSync(source);
        const piece = Buffer.allocUnsafe(PIECE_BYTES);
        for (let at = 0; ;) {
          const count = fs.readSync(source, piece, 0, piece.length, at);
          if (count === 0) break;
          // What is zeros becomes a hole again.
          if (!piece.subarray(0, count).every((byte) => byte === 0)) fs.writeSync(target, piece, 0, count, at);
          at += count;
        }
        fs.ftruncateSync(target, Math.max(size, fs.fstatSync(target).size));
        this.note(this.dresser.give(target, its));
        this.tell(1, size);
      } finally {
        fs.closeSync(target);
      }
    } finally {
      fs.closeSync(source);
    }
  }
}

const PIECE_BYTES = 1024 * 1024;
const MOST_SIGN_BYTES = 1024 * 1024;

/** Whether a file at the top is one that Eremos put there. */
function isOurs(from: HeldDirectory, name: Buffer, plain: Plain): boolean {
  return plain.isOurs(name, () => withAccess(from, name, 0o400, () => beginningOf(from, name)));
}

function beginningOf(from: HeldDirectory, name: Buffer): Buffer {
  const descriptor = from.openRead(name);
  if (descriptor === null) return Buffer.alloc(0);
  try {
    const bytes = Buffer.alloc(Math.min(fs.fstatSync(descriptor).size, MOST_SIGN_BYTES));
    return bytes.subarray(0, fs.readSync(descriptor, bytes, 0, bytes.length, 0));
  } finally {
    fs.closeSync(descriptor);
  }
}

/** With the bits that reading needs, where this account barred them for itself; set back afterwards. */
function withAccess<T>(dir: HeldDirectory, name: Buffer, bits: number, use: () => T): T {
  const mode = dir.find(name)?.mode ?? bits;
  if ((mode & bits) === bits || process.geteuid?.() === 0) return use();
  dir.setMode(name, (mode & 0o7777) | bits);
  try {
    return use();
  } finally {
    dir.setMode(name, mode & 0o7777);
  }
}

const ACCESS_LIST = Buffer.from("system.posix_acl_access");

/** With the permissions from before the bars. */
function withPermissions(is: Dress, mode: number, acl: Buffer | null | undefined): Dress {
  if (acl === undefined) return { ...is, mode };
  const others = is.xattrs.filter(({ name }) => !name.equals(ACCESS_LIST));
  return { ...is, mode, xattrs: acl === null ? others : [...others, { name: ACCESS_LIST, value: acl }] };
}

function splitLast(folder: Buffer): { readonly parent: Buffer; readonly name: Buffer } {
  const resolved = path.resolve(folder.toString("latin1"));
  return {
    parent: Buffer.from(path.dirname(resolved), "latin1"),
    name: Buffer.from(path.basename(resolved), "latin1"),
  };
}

function shown(names: readonly Buffer[]): string {
  return names.map((name) => name.toString("utf8")).join("/");
}

/** Neighbouring stretches become one. */
function add(lost: LostRange[], { offset, length }: LostRange): void {
  const last = lost.at(-1);
  if (last && last.offset + last.length === offset)
    lost[lost.length - 1] = { offset: last.offset, length: last.length + length };
  else lost.push({ offset, length });
}

/** What a disk answers that has no links, or no more of them for one file. */
function isLinkRefused(error: unknown): boolean {
  const code = error instanceof Error && "code" in error ? error.code : null;
  return code === "EPERM" || code === "EOPNOTSUPP" || code === "ENOTSUP" || code === "ENOSYS" || code === "EMLINK";
}

function isNameRefused(error: unknown): boolean {
  const code = error instanceof Error && "code" in error ? error.code : null;
  return code === "EINVAL" || code === "EILSEQ" || code === "ENAMETOOLONG" || code === "EEXIST";
}
