import { createHash } from "node:crypto";
import fc from "fast-check";
import { OWN_DIR_NAME } from "../../src/engine/ground/own-dir";
import type { Dir, Disk } from "../../src/platform/port";

/** Trees of everything a file system allows, made and looked at through the port, and so on any platform. */
interface Common {
  readonly mode: number;
  readonly uid: number;
  readonly gid: number;
  readonly mtimeNs: bigint;
  readonly xattr: Buffer | null;
}
interface FileSpec extends Common {
  readonly kind: "file";
  readonly size: number;
  readonly byte: number;
  /** Bytes of hole before the data. */
  readonly hole: number;
}
export interface DirSpec extends Common {
  readonly kind: "dir";
  readonly children: readonly (readonly [Buffer, Spec])[];
}
type Spec =
  | FileSpec
  | DirSpec
  | {
      readonly kind: "link";
      readonly target: Buffer;
      readonly uid: number;
      readonly gid: number;
      readonly mtimeNs: bigint;
    }
  /** Another name of one of the files before it, which it picks. */
  | { readonly kind: "hard link"; readonly pick: number };

/** Any bytes that Linux allows as a name. */
const anyName = fc
  .uint8Array({ minLength: 1, maxLength: 255 })
  .map((bytes) => Buffer.from(bytes.map((byte) => (byte === 0 || byte === 0x2f ? 0x5f : byte))))
  .filter((bytes) => ![".", "..", ".eremos"].includes(bytes.toString("latin1")));
const awkwardName = fc
  .constantFrom(
    " ",
    "  lead",
    "trail ",
    "new\nline",
    "-rf",
    "~",
    "$(id)",
    "\u00e9",
    "e\u0301",
    "\ud55c",
    "\u1112\u1161\u11ab",
    "CON",
    "a".repeat(255),
    ".hidden",
    "Locked with Eremos.html",
    "Open with Eremos",
    "\t",
    "LETTER",
    "letter",
  )
  .map((text) => Buffer.from(text));
const mtimeNs = fc.bigInt({ min: -2_000_000_000_000_000_000n, max: 4_000_000_000_000_000_000n });
const size = fc.oneof(
  fc.constantFrom(0, 1, 65_535, 65_536, 65_537, 131_072, 1_048_575, 1_048_576, 1_048_577),
  fc.integer({ min: 0, max: 300_000 }),
);
const attribute = fc.option(
  fc.uint8Array({ maxLength: 60 }).map((bytes): Buffer => Buffer.from(bytes)),
  { nil: null, freq: 2 },
);

/** `asRoot`: every mode and owner; otherwise what an ordinary account may set on its own. */
export function anyTree(asRoot: boolean): fc.Arbitrary<DirSpec> {
  const mode = asRoot ? fc.integer({ min: 0, max: 0o7777 }) : fc.integer({ min: 0, max: 0o777 });
  const id = (own: number): fc.Arbitrary<number> =>
    asRoot ? fc.oneof(fc.constant(0), fc.integer({ min: 0, max: 65_533 })) : fc.constant(own);
  const owners = { uid: id(process.getuid?.() ?? 0), gid: id(process.getgid?.() ?? 0) };
  const common = { mode, ...owners, mtimeNs, xattr: attribute };
  const file = fc.record({
    kind: fc.constant("file" as const),
    size,
    byte: fc.integer({ min: 0, max: 255 }),
    hole: fc.oneof(
      { weight: 4, arbitrary: fc.constant(0) },
      { weight: 1, arbitrary: fc.integer({ min: 1, max: 2_000_000 }) },
    ),
    ...common,
  });
  const link = fc.record({
    kind: fc.constant("link" as const),
    target: fc.uint8Array({ minLength: 1, maxLength: 200 }).map((bytes) => Buffer.from(bytes.map((byte) => byte || 1))),
    ...owners,
    mtimeNs,
  });
  const hardLink = fc.record({ kind: fc.constant("hard link" as const), pick: fc.nat() });
  return fc.letrec<{ tree: DirSpec }>((tie) => ({
    tree: fc.record({
      kind: fc.constant("dir" as const),
      ...common,
      children: fc.array(
        fc.tuple(fc.oneof(anyName, awkwardName), fc.oneof({ maxDepth: 4 }, file, file, link, hardLink, tie("tree"))),
        { maxLength: 6 },
      ),
    }),
  })).tree;
}

/** Makes the tree in an empty directory. */
export function grow(
  disk: Disk,
  dir: Dir,
  spec: DirSpec,
  files: { readonly dir: Dir; readonly name: Buffer }[] = [],
): void {
  for (const [name, child] of spec.children) {
    if (disk.find(dir, name)) continue;
    if (child.kind === "link") {
      disk.makeLink(dir, name, child.target);
      disk.setLinkOwner(dir, name, child.uid, child.gid);
      disk.setLinkTimes(dir, name, child.mtimeNs, child.mtimeNs);
    } else if (child.kind === "hard link") {
      const file = files[child.pick % (files.length || 1)];
      if (file) disk.makeHardLink(file.dir, file.name, dir, name);
    } else if (child.kind === "file") {
      const file = disk.create(dir, name, 0o600);
      disk.write(file, Buffer.alloc(child.size, child.byte), 0, child.size, child.hole);
      if (child.size === 0) disk.truncate(file, child.hole);
      dress(disk, file, child);
      disk.closeFile(file);
      files.push({ dir, name });
    } else {
      disk.makeDir(dir, name, 0o700);
      const inner = disk.openDir(dir, name);
      grow(disk, inner, child, files);
      dress(disk, inner, child);
    }
  }
}

function dress(disk: Disk, of: Dir, { uid, gid, mode, mtimeNs: time, xattr }: Common): void {
  if (xattr) disk.setXattr(of, { name: Buffer.from("user.eremos-test"), value: xattr });
  disk.setOwner(of, uid, gid);
  disk.setOpenMode(of, mode);
  disk.setTimes(of, time, time);
}

/** Everything that must come back, one line an entry, as the port sees it. */
export function seen(disk: Disk, path: Buffer): string[] {
  const lines: string[] = [];
  const groups = new Map<bigint, number>();
  const visit = (dir: Dir, shown: string): void => {
    for (const name of disk.list(dir).sort((a, b) => Buffer.compare(a, b))) {
      if (name.equals(OWN_DIR_NAME)) continue;
      const stat = disk.stat(dir, name);
      const isTwin = stat.type === "file" && stat.nlink > 1;
      if (isTwin && !groups.has(stat.ino)) groups.set(stat.ino, groups.size);
      const at = `${shown}/${name.toString("latin1")}`;
      const line = `${at} ${stat.type} ${stat.mode.toString(8)} ${stat.uid}:${stat.gid} ${stat.mtimeNs} ${isTwin ? `same=${groups.get(stat.ino)}` : ""}`;
      if (stat.type === "link") lines.push(`${line} -> ${disk.readLink(dir, name).toString("latin1")}`);
      else if (stat.type === "dir") {
        const inner = disk.openDir(dir, name);
        lines.push(`${line} ${attributesOf(disk, inner)}`);
        visit(inner, at);
        disk.closeDir(inner);
      } else {
        const file = disk.openRead(dir, name);
        const bytes = Buffer.alloc(stat.size);
        disk.read(file, bytes, 0, stat.size, 0);
        lines.push(
          `${line} ${attributesOf(disk, file)} ${stat.size} ${createHash("sha256").update(bytes).digest("hex")}`,
        );
        disk.closeFile(file);
      }
    }
  };
  const root = disk.openRoot(path);
  visit(root, "");
  disk.closeDir(root);
  return lines;
}

function attributesOf(disk: Disk, of: Dir): string {
  return disk
    .xattrs(of)
    .map(({ name, value }) => `${name.toString("latin1")}=${value.toString("hex")}`)
    .sort()
    .join(",");
}
