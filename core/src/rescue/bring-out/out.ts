import * as fs from "node:fs";
import { markedName } from "../../format/marked-name";
import { heldName, heldNames, nameKey } from "../../format/held-name";
import { isName } from "../../format/tree";
import type { Dress, Dresser } from "../dresser";
import type { RescuedEntry } from "../entry";
import { type HeldDirectory, isNoDirectory } from "../held-directory";
import type { LockedFolder } from "../locked-folder";
import type { DamagedFile, LostRange, RescueProgress, RescueReport } from "./report";
import { say } from "@eremos/words/core/rescue";

/** A file that was written, by its first name. */
export interface WrittenFile {
  readonly path: readonly Buffer[];
  readonly name: Buffer;
  readonly lost: readonly LostRange[];
}

/**
 * Plain files and directories, as they are written: each into a directory that is held, so that nothing leads out of
 * where they belong.
 */
export class Out {
  private files = 0;
  private bytes = 0;
  private filesTotal = 0;
  private bytesTotal = 0;
  private readonly damaged: DamagedFile[] = [];
  private readonly notGiven = new Set<string>();
  private readonly directories: { readonly path: readonly Buffer[]; readonly dress: Dress }[] = [];
  /** The directories that are held now, from the top down. */
  private readonly held: { readonly name: Buffer; readonly dir: HeldDirectory }[] = [];

  /** Null: every name is held as it is. */
  private forms: ReadonlyMap<string, Buffer> | null = null;

  constructor(
    private readonly root: HeldDirectory,
    readonly dresser: Dresser,
    private readonly progress: ((progress: RescueProgress) => void) | undefined,
  ) {
    if (!root.holdsNames()) this.forms = new Map();
  }

  /** The name an entry gets here. FORMAT.md §5.6. */
  formOf(name: Buffer): Buffer {
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

  note(notGiven: readonly string[]): void {
    for (const one of notGiven) this.notGiven.add(one);
  }

  tell(files: number, bytes: number): void {
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

  enter(names: readonly Buffer[]): HeldDirectory {
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
    const links = new Map<number, WrittenFile>();
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

  private async writeEntry(locked: LockedFolder, entry: RescuedEntry, links: Map<number, WrittenFile>): Promise<void> {
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

  makeDir(names: readonly Buffer[], dress: Dress): void {
    const name = names.at(-1);
    const dir = this.enter(names.slice(0, -1));
    if (!name) return;
    if (!dir.find(name)) dir.makeDir(name);
    this.directories.push({ path: names, dress });
  }

  makeLink(dir: HeldDirectory, name: Buffer, target: Buffer, dress: Dress, names: readonly Buffer[]): void {
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
  linkTo(first: Pick<WrittenFile, "path" | "name">, above: readonly Buffer[], name: Buffer): boolean {
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
  ): Promise<Omit<WrittenFile, "path">> {
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
}

export function shown(names: readonly Buffer[]): string {
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
