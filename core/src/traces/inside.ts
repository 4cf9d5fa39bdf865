import type { Fingerprint } from "../crypto/ciphers";
import { EremosError } from "../errors/eremos-error";
import { decodeObjectHeader } from "../format/object";
import type { DirEntry, FileEntry, TreeReader } from "../format/tree";
import type { Disk, OpenFile } from "../platform/port";
import { type SealedInput, loadTree, openSealed } from "../engine/contents";
import { closeFolder, displayPath, openFolder } from "../engine/ground";
import { type FolderKeys, loadState } from "../engine/records";
import { said } from "@eremos/words/core/traces";

/** What a sealed folder holds, as its encrypted list tells: by what copies of it are known elsewhere. */
export interface Inside {
  /** Names of its files, one character for each byte. */
  readonly names: ReadonlySet<string>;
  /** Whether a file of that many bytes is in it. */
  hasSize(size: number): boolean;
  /** Whether a file holds what one in it does, byte for byte. */
  holdsSame(file: OpenFile, size: number): boolean;
  /** Wipes what it needed for that. */
  close(): void;
}

const READ_AT_ONCE = 1024 * 1024;

/** @throws EremosError as whatever opens a sealed folder; `not-protected` for one that is not sealed */
export async function lookInside(disk: Disk, input: SealedInput): Promise<Inside> {
  const folder = openFolder(disk, input.path);
  let keys: FolderKeys | null = null;
  try {
    const state = folder.ownDir && loadState(disk, folder.ownDir);
    if (!folder.ownDir || !state?.generation)
      throw new EremosError("not-protected", said("is-not-sealed", { path: displayPath(input.path) }));
    const opened = await openSealed(disk, folder.ownDir, state, input);
    ({ keys } = opened);
    return insideOf(disk, loadTree(disk, folder.ownDir, opened.generation, keys).tree, keys);
  } catch (error) {
    keys?.wipe();
    throw error;
  } finally {
    closeFolder(disk, folder);
  }
}

function insideOf(disk: Disk, tree: TreeReader, keys: FolderKeys): Inside {
  const names = new Set<string>();
  const bySize = new Map<number, FileEntry[]>();
  const take = (dir: DirEntry): void => {
    for (const entry of tree.list(dir).entries) {
      if (entry.kind === "dir") take(entry);
      if (entry.kind !== "file") continue;
      names.add(entry.name.toString("latin1"));
      // What is empty tells nothing of anything.
      if (entry.size > 0 && entry.content?.fingerprint)
        bySize.set(entry.size, [...(bySize.get(entry.size) ?? []), entry]);
    }
  };
  take(tree.root);
  const macOf = ({ content }: FileEntry): Fingerprint | null =>
    content && keys.content(decodeObjectHeader(tree.pack(content.pack).header)).fingerprint;
  return {
    names,
    hasSize: (size) => bySize.has(size),
    holdsSame: (file, size) =>
      (bySize.get(size) ?? []).some((entry) => {
        const mac = macOf(entry);
        return mac !== null && isSameAs(disk, file, entry, mac);
      }),
    close: () => keys.wipe(),
  };
}

/** FORMAT.md §5.7: of the data as it was sealed, which is without holes; in the file that is compared they are zeros. */
function isSameAs(disk: Disk, file: OpenFile, { size, content, extents }: FileEntry, mac: Fingerprint): boolean {
  const piece = Buffer.allocUnsafe(READ_AT_ONCE);
  const read = (from: number, until: number, use: (bytes: Buffer) => boolean): boolean => {
    for (let at = from; at < until;) {
      const count = disk.read(file, piece, 0, Math.min(piece.length, until - at), at);
      if (count === 0 || !use(piece.subarray(0, count))) return false;
      at += count;
    }
    return true;
  };
  mac.start();
  let at = 0;
  const isWhole =
    (extents ?? [{ offset: 0, length: size }]).every(({ offset, length }) => {
      const isZero = read(at, offset, (bytes) => bytes.every((byte) => byte === 0));
      at = offset + length;
      return isZero && read(offset, at, (bytes) => (mac.add(bytes), true));
    }) && read(at, size, (bytes) => bytes.every((byte) => byte === 0));
  return mac.finish().equals(content?.fingerprint ?? Buffer.alloc(0)) && isWhole;
}
