import { EremosError } from "../../errors/eremos-error";
import {
  type DirEntry,
  type EncodedTree,
  type Entry,
  type Meta,
  type PackInfo,
  type TreeReader,
  TreeWriter,
  contentsOf,
  isName,
  newMeta,
} from "../../format/tree";
import {
  type DirNode,
  type Encoding,
  type FileNode,
  type Node,
  childrenOf,
  copyOf,
  dataOf,
  dirNode,
  encode,
  filesIn,
  isWithin,
  keyOf,
  markChanged,
  newDirNode,
  nodeOf,
} from "./visit-tree";
import { LONGEST_NAME, displayPath } from "../ground";
import { said } from "@eremos/words/core/visiting";

/** Whose new files and directories are. */
export interface Account {
  readonly uid: number;
  readonly gid: number;
}

/** What differs from the committed index, written; and where each directory in memory stands in it. */
export interface Encoded {
  readonly encoded: EncodedTree;
  readonly placed: ReadonlyMap<DirNode, NonNullable<DirNode["known"]>>;
}

/** A committed tree and the changes made to it in memory. Names are bytes; paths are names from the folder down. */
export class EditableTree {
  private rootNode: DirNode;
  protected files: number;
  protected bytes: number;
  /** How many files refer to each pack, once that is asked for. */
  private uses: Map<string, number> | null = null;
  /** Packs that a file has ceased to refer to. */
  private readonly left = new Set<string>();

  protected constructor(
    protected tree: TreeReader,
    private readonly account: Account,
  ) {
    this.rootNode = dirNode(tree.root, null);
    this.files = tree.files;
    this.bytes = tree.bytes;
  }

  get root(): DirNode {
    return this.rootNode;
  }

  /** Unordered. */
  list(dir: DirNode): readonly Node[] {
    return [...childrenOf(this.tree, dir).values()];
  }

  child(dir: DirNode, name: Buffer): Node | null {
    return childrenOf(this.tree, dir).get(keyOf(name)) ?? null;
  }

  /** The entry at a path, or null. */
  find(path: readonly Buffer[]): Node | null {
    let at: Node | null = this.rootNode;
    for (const name of path) at = at?.kind === "dir" ? this.child(at, name) : null;
    return at;
  }

  /** @throws EremosError `path-taken` | `usage` for a name that no file system allows */
  makeDir(parent: DirNode, name: Buffer): DirNode {
    this.requireFree(parent, name);
    const dir = newDirNode(name, this.newMeta(0o755), parent);
    this.put(parent, dir);
    return dir;
  }

  /** With everything in it. */
  remove(parent: DirNode, name: Buffer): void {
    const node = this.child(parent, name);
    if (!node) throw new EremosError("not-found", said("it-is-not-there-any"));
    this.count(node, -1);
    childrenOf(this.tree, parent).delete(keyOf(name));
    this.touch(parent);
  }

  /**
   * Under another name, or in another directory. @throws EremosError `path-taken` | `not-found` | `usage` into itself
   */
  move(from: DirNode, name: Buffer, to: DirNode, newName: Buffer): void {
    const node = this.child(from, name);
    if (!node) throw new EremosError("not-found", said("it-is-not-there-any"));
    if (node.kind === "dir" && isWithin(to, node)) throw new EremosError("usage", said("folder-cant-be-moved-into"));
    this.requireFree(to, newName);
    childrenOf(this.tree, from).delete(keyOf(name));
    this.touch(from);
    if (node.kind === "dir") {
      node.name = newName;
      node.parent = to;
    }
    childrenOf(this.tree, to).set(keyOf(newName), node.kind === "dir" ? node : { ...node, name: newName });
    this.touch(to);
  }

  /** The copy shares the sealed data, so it takes no room. @throws EremosError `path-taken` | `usage` into itself */
  copy(node: Node, to: DirNode, name: Buffer): void {
    if (node.kind === "dir" && isWithin(to, node)) throw new EremosError("usage", said("folder-cant-be-copied-into"));
    this.requireFree(to, name);
    this.put(to, copyOf(this.tree, node, name, to));
  }

  /** An empty directory like another, without what is in it. */
  copyShallow(node: DirNode, to: DirNode, name: Buffer): void {
    this.requireFree(to, name);
    this.put(to, newDirNode(name, node.meta, to));
  }

  /**
   * Puts a written file into a directory, in the place of one of its name. @throws EremosError `path-taken` where a
   * directory has that name
   */
  add(parent: DirNode, written: FileNode): FileNode {
    const before = this.child(parent, written.name);
    if (before?.kind === "dir") throw new EremosError("path-taken", said("there-is-folder-that-name"));
    if (before) this.count(before, -1);
    const meta =
      before?.kind === "file"
        ? { ...before.meta, mtimeNs: written.meta.mtimeNs, atimeNs: written.meta.atimeNs }
        : written.meta;
    const file = { ...written, meta };
    this.put(parent, file);
    return file;
  }

  private put(parent: DirNode, node: Node): void {
    childrenOf(this.tree, parent).set(keyOf(node.name), node);
    this.count(node, 1);
    this.touch(parent);
  }

  private count(node: Node, sign: 1 | -1): void {
    for (const file of filesIn(this.tree, node)) {
      this.files += sign;
      this.bytes += sign * file.size;
      for (const {
        pack: { object },
      } of dataOf(file)) {
        if (sign < 0) this.left.add(object);
        this.uses?.set(object, (this.uses.get(object) ?? 0) + sign);
      }
    }
  }

  /** Packs that a change has left, and that no file refers to any more. */
  private unusedNow(): ReadonlySet<string> {
    if (this.left.size === 0) return NOTHING;
    this.uses ??= this.countUses();
    return new Set([...this.left].filter((object) => (this.uses?.get(object) ?? 0) === 0));
  }

  private countUses(): Map<string, number> {
    const uses = new Map<string, number>();
    for (const file of filesIn(this.tree, this.rootNode))
      for (const {
        pack: { object },
      } of dataOf(file))
        uses.set(object, (uses.get(object) ?? 0) + 1);
    return uses;
  }

  private touch(dir: DirNode): void {
    dir.meta = { ...dir.meta, mtimeNs: nowNs() };
    markChanged(dir);
  }

  private requireFree(parent: DirNode, name: Buffer): void {
    requireName(name);
    if (this.child(parent, name))
      throw new EremosError("path-taken", said("there-is-something-called-already", { name: displayPath(name) }));
  }

  protected newMeta(mode: number): Meta {
    const now = nowNs();
    return newMeta({ mode, ...this.account, mtimeNs: now, atimeNs: now });
  }

  /** The directory at a path, made as far as it is not there; where a file is in the way, the one above it. */
  protected directoriesTo(path: readonly Buffer[]): DirNode {
    let at = this.rootNode;
    for (const name of path) {
      const there = this.child(at, name);
      if (there && there.kind !== "dir") return at;
      at = there ?? this.makeDir(at, name);
    }
    return at;
  }

  /** For what is put back together: names of one file are names of one file again, and of no other. */
  protected freshGroups(): (group: number) => number {
    const fresh = new Map<number, number>();
    let last: number | null = null;
    return (group) => {
      if (group === 0) return 0;
      last ??= [...filesIn(this.tree, this.rootNode)].reduce((most, { linkGroup }) => Math.max(most, linkGroup), 0);
      const its = fresh.get(group) ?? ++last;
      fresh.set(group, its);
      return its;
    };
  }

  /** Makes what is at a path what it is in another tree; away with it, where that has nothing there. */
  protected putBackFrom(earlier: TreeReader, path: readonly Buffer[], groupOf: (group: number) => number): void {
    const name = path.at(-1);
    if (!name) return;
    let was: Entry | null = earlier.root;
    for (const part of path) was = was?.kind === "dir" ? earlier.find(was, part) : null;
    const parent = this.directoriesTo(path.slice(0, -1));
    if (this.child(parent, name)) this.remove(parent, name);
    if (was) this.put(parent, copyOf(earlier, nodeOf(earlier, was, parent), name, parent, groupOf));
  }

  /** The tree is again what was committed last. */
  forgetChanges(): void {
    this.uses = null;
    this.left.clear();
    this.rootNode = dirNode(this.tree.root, null);
    this.files = this.tree.files;
    this.bytes = this.tree.bytes;
  }

  /** Whether anything was changed since the last commit. */
  protected get differs(): boolean {
    return this.rootNode.known === null;
  }

  /** Packs of the committed tree that no file in it refers to. */
  protected unusedPacks(): ReadonlySet<string> {
    const used = new Set<number>();
    const visit = (dir: DirEntry): void => {
      for (const entry of this.tree.list(dir).entries) {
        if (entry.kind === "dir") visit(entry);
        else if (entry.kind === "file") for (const { pack } of contentsOf(entry)) used.add(pack);
      }
    };
    visit(this.tree.root);
    return new Set(this.tree.table().flatMap((pack, number) => (pack && !used.has(number) ? [pack.object] : [])));
  }

  /**
   * `anew`: packs in the place of others, by the object of those. `isWhole`: all of it, with only the packs in use;
   * else what differs, to stand after the committed listings, without packs that are not in use any more.
   */
  protected encode(
    isWhole: boolean,
    unused: ReadonlySet<string> = this.unusedNow(),
    anew: Encoding["anew"] = new Map(),
  ): Encoded {
    const writer = isWhole ? new TreeWriter() : TreeWriter.after(this.tree);
    const packs = new Map<string, PackInfo>(
      isWhole
        ? []
        : this.tree
            .packs()
            .filter(({ object }) => !unused.has(object))
            .map((pack) => [pack.object, pack]),
    );
    const placed = new Map<DirNode, NonNullable<DirNode["known"]>>();
    const root = encode({ tree: this.tree, writer, packs, isWhole, placed, anew }, this.rootNode);
    return { encoded: writer.finish(root, packs, this.files, this.bytes), placed };
  }

  /** What was encoded is committed. */
  protected takeUp(tree: TreeReader, placed: Encoded["placed"]): void {
    this.left.clear();
    this.tree = tree;
    for (const [dir, entry] of placed) dir.known = entry;
  }
}

const NOTHING: ReadonlySet<string> = new Set();

function nowNs(): bigint {
  return BigInt(Date.now()) * 1_000_000n;
}

/** @throws EremosError `usage` */
export function requireName(name: Buffer): void {
  if (isName(name) && name.length <= LONGEST_NAME) return;
  throw new EremosError("usage", said("that-is-not-name-file"));
}
