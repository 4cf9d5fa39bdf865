import * as fs from "node:fs";
import * as path from "node:path";
import { markedName } from "../../format/marked-name";
import type { Dress } from "../dresser";
import { HeldDirectory } from "../held-directory";
import { type Out, type WrittenFile, shown } from "./out";
import { OWN_DIR, type Plain, pathKey } from "./readable";
import { say } from "@eremos/words/core/rescue";

/** Copies what lies readable in a folder to where its contents are brought out. */
export class ReadableCopy {
  /** Files of several names, by device and inode. */
  private readonly copied = new Map<string, Pick<WrittenFile, "path" | "name">>();

  constructor(
    private readonly out: Out,
    private readonly folder: Buffer,
  ) {}

  /**
   * What lies there readable, from a directory down. Where there is an entry of that name already, this one takes its
   * place, or stands beside it.
   */
  copyTree(inner: readonly Buffer[], plain: Plain, how: "instead" | "beside"): void {
    const chain: HeldDirectory[] = [];
    try {
      const { parent, name } = splitLast(this.folder);
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
    const { mode, acl } = plain.permissions.get(pathKey(names)) ??
      plain.permissions.get(`${stat.dev}:${stat.ino}`) ?? { mode: stat.mode };
    const dress = (is: Dress): Dress => withPermissions(is, mode & 0o7777, acl);
    const dir = this.out.enter(above);
    const its = this.out.formOf(own);
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
          this.out.makeDir(at, dress(inner.ownDress(this.out.dresser)));
          this.copyEntries(inner, at, plain, how);
        } finally {
          inner.close();
        }
      });
    } else if (stat.isSymbolicLink()) {
      this.out.makeLink(dir, name, from.readLink(own), from.linkDress(this.out.dresser, own), names);
    } else if (stat.isFile()) {
      const isLinked = this.copyOnce(stat, { path: above, name }, () =>
        withAccess(from, own, 0o400, () => this.copyFile(from, own, dir, name, dress)),
      );
      // Of several names the bars may have been written down under this one alone.
      if (isLinked && plain.permissions.has(pathKey(names)))
        withAccess(from, own, 0o400, () => this.dressAgain(from, own, dir, name, dress));
    } else this.out.note([say("neither-file-folder-nor-link", { names: shown(names) })]);
  }

  /** A file of several names is copied under the first, and linked under the others. Returns whether it was linked. */
  private copyOnce(
    { dev, ino, nlink, size }: fs.Stats,
    to: Pick<WrittenFile, "path" | "name">,
    copy: () => void,
  ): boolean {
    const first = nlink > 1 ? this.copied.get(`${dev}:${ino}`) : undefined;
    if (first && this.out.linkTo(first, to.path, to.name)) {
      this.out.tell(1, size);
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
    reading(from, own, (source) => {
      const its = dress(this.out.dresser.of(source));
      const given = withAccess(dir, name, 0o400, () =>
        reading(dir, name, (target) => {
          this.out.note(this.out.dresser.give(target, its));
          return fs.fstatSync(target).mode;
        }),
      );
      if (given !== null) dir.setMode(name, given & 0o7777);
    });
  }

  private copyFile(
    from: HeldDirectory,
    own: Buffer,
    dir: HeldDirectory,
    name: Buffer,
    dress: (is: Dress) => Dress,
  ): void {
    reading(from, own, (source) => {
      const target = dir.create(name);
      try {
        const its = dress(this.out.dresser.of(source));
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
        this.out.note(this.out.dresser.give(target, its));
        this.out.tell(1, size);
      } finally {
        fs.closeSync(target);
      }
    });
  }
}

const PIECE_BYTES = 1024 * 1024;
const MOST_SIGN_BYTES = 1024 * 1024;

/** Whether a file at the top is one that Eremos put there. */
function isOurs(from: HeldDirectory, name: Buffer, plain: Plain): boolean {
  return plain.isOurs(name, () => withAccess(from, name, 0o400, () => beginningOf(from, name)));
}

function beginningOf(from: HeldDirectory, name: Buffer): Buffer {
  const beginning = reading(from, name, (descriptor) => {
    const bytes = Buffer.alloc(Math.min(fs.fstatSync(descriptor).size, MOST_SIGN_BYTES));
    return bytes.subarray(0, fs.readSync(descriptor, bytes, 0, bytes.length, 0));
  });
  return beginning ?? Buffer.alloc(0);
}

/** Null where there is no file of that name that can be opened. */
function reading<T>(dir: HeldDirectory, name: Buffer, use: (descriptor: number) => T): T | null {
  const descriptor = dir.openRead(name);
  if (descriptor === null) return null;
  try {
    return use(descriptor);
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
