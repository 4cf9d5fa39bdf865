import { EremosError } from "../errors/eremos-error";
import { type DirNode, type FileNode, type Identity, type Tree, type TreeNode, decodeTree, encodeTree } from "../format/tree";
import type { BaseTree } from "./seal-tree";

/**
 * While a folder is open, a file beside its sealed copy remembers what was sealed and which plain file it became: the index's
 * plaintext with identities, then the record's offset and length (u64, u64). It is gone when the folder locks. FORMAT.md §8.
 */
const TRAILER_BYTES = 16;

export function writeOpened(tree: Tree): Buffer {
  const encoded = encodeTree(tree);
  const trailer = Buffer.alloc(TRAILER_BYTES);
  trailer.writeBigUInt64LE(BigInt(encoded.record.offset), 0);
  trailer.writeBigUInt64LE(BigInt(encoded.record.length), 8);
  return Buffer.concat([encoded.bytes, trailer]);
}

export function readOpened(bytes: Buffer): BaseTree {
  if (bytes.length < TRAILER_BYTES) throw new EremosError("damaged", "The record of what was sealed is too short.");
  const end = bytes.length - TRAILER_BYTES;
  const record = { offset: Number(bytes.readBigUInt64LE(end)), length: Number(bytes.readBigUInt64LE(end + 8)) };
  const tree = decodeTree(bytes.subarray(0, end), record);
  return { tree, root: tree.root };
}

/**
 * The sealed tree with the identities of the plain entries that were just restored from it. A file that is not, beyond doubt, the one
 * that was written gets none and counts as changed at the next lock.
 */
export function withIdentities(sealed: DirNode, plain: DirNode, written: ReadonlyMap<TreeNode, Identity>, top = true): DirNode {
  const found = new Map(plain.children.map((child) => [child.name.toString("latin1"), child]));
  const children = sealed.children.map((node): TreeNode => {
    const now = found.get(node.name.toString("latin1"));
    if (now?.kind === "dir" && node.kind === "dir") return withIdentities(node, now, written, false);
    if (now?.kind === "file" && node.kind === "file") return { ...node, identity: sameFile(node, now, written.get(node), top) ? now.identity : null };
    return { ...node, identity: now?.identity ?? null };
  });
  return { ...sealed, identity: plain.identity, children };
}

/** Moving an entry at the top, and giving a file another hard link, changes the status time once more; the rest must be exact. */
function sameFile(node: FileNode, now: FileNode, written: Identity | undefined, top: boolean): boolean {
  if (now.size !== node.size || now.meta.mtimeNs !== node.meta.mtimeNs || !now.identity) return false;
  if (node.linkGroup > 0) return true;
  if (!written || written.dev !== now.identity.dev || written.ino !== now.identity.ino) return false;
  return top || written.ctimeNs === now.identity.ctimeNs;
}
