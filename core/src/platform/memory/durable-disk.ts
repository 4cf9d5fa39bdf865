import type { Xattr } from "../../format/tree";

/** What of a {@link MemoryDisk} has reached the platter, and what is still on its way. */
export interface InodeMeta {
  readonly mode: number;
  readonly uid: number;
  readonly gid: number;
  readonly mtimeNs: bigint;
  readonly atimeNs: bigint;
  /** Of a symbolic link, as latin1 text. */
  readonly target: string;
  readonly xattrs: readonly Xattr[];
}

export interface DurableInode {
  readonly type: "file" | "dir" | "link";
  meta: InodeMeta;
  data: Buffer;
  readonly entries: Map<string, number>;
}

export type DiskChange =
  | { readonly kind: "write"; readonly ino: number; readonly position: number; readonly bytes: Buffer }
  | { readonly kind: "truncate"; readonly ino: number; readonly size: number }
  | { readonly kind: "meta"; readonly ino: number; readonly meta: InodeMeta }
  | {
      readonly kind: "link";
      readonly dir: number;
      readonly name: string;
      readonly ino: number;
      readonly type: DurableInode["type"];
      readonly meta: InodeMeta;
    }
  | { readonly kind: "unlink"; readonly dir: number; readonly name: string }
  | {
      readonly kind: "rename";
      readonly dir: number;
      readonly name: string;
      readonly toDir: number;
      readonly toName: string;
      readonly ino: number;
    };

const ROOT = 1;
const ROOT_META: InodeMeta = { mode: 0o755, uid: 0, gid: 0, mtimeNs: 0n, atimeNs: 0n, target: "", xattrs: [] };

/**
 * The harsh model of a file system: a sync of a file makes its content and attributes durable, a sync of a directory
 * the entries in it (not the directory's own entry in its parent), a barrier everything. At a power cut each change
 * that is not durable may have got there or not, in any subset, writes also in part; a rename is one change; and of
 * changes to one and the same name, a later one never survives an earlier one that is lost.
 */
export class DurableDisk {
  readonly rootInode = ROOT;
  highestInode = ROOT;
  clock = 1_800_000_000_000_000_000n;
  private readonly inodes: Map<number, DurableInode>;
  private pending: DiskChange[] = [];

  constructor(inodes?: Map<number, DurableInode>) {
    this.inodes =
      inodes ?? new Map([[ROOT, { type: "dir", meta: ROOT_META, data: Buffer.alloc(0), entries: new Map() }]]);
  }

  inode(ino: number): DurableInode {
    const found = this.inodes.get(ino);
    if (!found) throw new RangeError(`there is no durable inode ${ino}`);
    return found;
  }

  record(change: DiskChange): void {
    if (change.kind === "link") this.highestInode = Math.max(this.highestInode, change.ino);
    this.pending.push(change);
  }

  private makeDurable(isDurable: (change: DiskChange) => boolean): void {
    const [now, later] = [this.pending.filter(isDurable), this.pending.filter((change) => !isDurable(change))];
    now.forEach((change) => this.apply(change));
    this.pending = later;
  }

  syncInode(ino: number): void {
    this.makeDurable(
      (change) =>
        "ino" in change &&
        change.ino === ino &&
        (change.kind === "write" || change.kind === "truncate" || change.kind === "meta"),
    );
  }

  syncDirectory(ino: number): void {
    this.makeDurable((change) =>
      change.kind === "meta"
        ? change.ino === ino
        : change.kind === "rename"
          ? change.dir === ino || change.toDir === ino
          : (change.kind === "link" || change.kind === "unlink") && change.dir === ino,
    );
  }

  syncAll(): void {
    this.makeDurable(() => true);
  }

  private apply(change: DiskChange): void {
    switch (change.kind) {
      case "link":
        if (!this.inodes.has(change.ino))
          this.inodes.set(change.ino, {
            type: change.type,
            meta: change.meta,
            data: Buffer.alloc(0),
            entries: new Map(),
          });
        this.inodes.get(change.dir)?.entries.set(change.name, change.ino);
        return;
      case "unlink":
        this.inodes.get(change.dir)?.entries.delete(change.name);
        return;
      case "rename":
        this.inodes.get(change.dir)?.entries.delete(change.name);
        if (!this.inodes.has(change.ino)) this.createUnlinked(change.ino);
        this.inodes.get(change.toDir)?.entries.set(change.toName, change.ino);
        return;
      default:
        this.applyToInode(change);
    }
  }

  /** A synced file whose entry never became durable is unreachable; its content is of no account. */
  private applyToInode(change: Extract<DiskChange, { kind: "write" | "truncate" | "meta" }>): void {
    const inode = this.inodes.get(change.ino) ?? this.createUnlinked(change.ino);
    if (change.kind === "meta") inode.meta = change.meta;
    else if (change.kind === "truncate") inode.data = Buffer.concat([inode.data], change.size);
    else {
      const end = change.position + change.bytes.length;
      if (end > inode.data.length) inode.data = Buffer.concat([inode.data], end);
      change.bytes.copy(inode.data, change.position);
    }
  }

  private createUnlinked(ino: number): DurableInode {
    const link = this.pending.find((change) => change.kind === "link" && change.ino === ino);
    const inode: DurableInode = {
      type: link?.kind === "link" ? link.type : "file",
      meta: ROOT_META,
      data: Buffer.alloc(0),
      entries: new Map(),
    };
    this.inodes.set(ino, inode);
    return inode;
  }

  /**
   * The disk as a power cut leaves it; `random` gives numbers from 0 (included) to 1 (excluded). This one is not
   * changed.
   */
  afterPowerCut(random: () => number): DurableDisk {
    const inodes = new Map(
      [...this.inodes].map(([ino, inode]) => [
        ino,
        { ...inode, data: Buffer.from(inode.data), entries: new Map(inode.entries) },
      ]),
    );
    const cut = new DurableDisk(inodes);
    cut.highestInode = this.highestInode;
    cut.clock = this.clock + 1_000_000_000n;
    cut.pending = [...this.pending];
    const lost = new Set<string>();
    const share = random();
    for (const change of this.pending) {
      const names = namesOf(change);
      if (names.some((name) => lost.has(name)) || random() >= share) {
        for (const name of names) lost.add(name);
        continue;
      }
      const torn = change.kind === "write" && random() < 0.2;
      cut.apply(
        torn ? { ...change, bytes: change.bytes.subarray(0, Math.floor(change.bytes.length * random())) } : change,
      );
    }
    cut.pending = [];
    return cut;
  }
}

function namesOf(change: DiskChange): string[] {
  if (change.kind === "link" || change.kind === "unlink") return [`${change.dir}/${change.name}`];
  return change.kind === "rename" ? [`${change.dir}/${change.name}`, `${change.toDir}/${change.toName}`] : [];
}
