import { EremosError } from "../errors/eremos-error";
import type { DirEntry, TreeReader } from "../format/tree";
import type { Disk } from "../platform/port";
import { type Hooks, Meter } from "./hooks";
import { FolderKeys, type OwnerAccess, requireVouched } from "./keys";
import { loadTree, packReader } from "./load-tree";
import { PackReaders } from "./restore-tree";
import { type HeldFolder, displayPath, holdFolder, letGo, loadGeneration, loadHeader, loadState } from "./vault";

export interface Damage {
  /** A path inside the folder, or inside Eremos' own directory. */
  readonly path: string;
  readonly reason: string;
}

export interface CheckOutcome {
  readonly ok: boolean;
  readonly damaged: readonly Damage[];
  readonly files: number;
  readonly bytes: number;
}

export interface CheckInput {
  readonly path: Buffer;
  readonly access: OwnerAccess;
  readonly keptHeader: Buffer | null;
}

/** Reads and authenticates everything a sealed copy consists of, and names each file that could not be given back. Changes nothing. */
export async function checkFolder(disk: Disk, input: CheckInput, hooks: Hooks): Promise<CheckOutcome> {
  const folder = holdFolder(disk, input.path, { create: false });
  let keys: FolderKeys | null = null;
  try {
    const state = loadState(disk, folder.vault);
    if (!state) throw new EremosError("not-protected", `${displayPath(input.path)} is not protected by Eremos.`);
    const damaged: Damage[] = [];
    const header = loadHeader(disk, folder.vault, input.keptHeader);
    const generation = loadGeneration(disk, folder.vault, state.generation);
    for (const copy of [...header.damaged, ...generation.damaged]) damaged.push({ path: `.eremos/${copy.path}`, reason: copy.reason });
    keys = await FolderKeys.open(disk, folder.vault, header.record, input.access);
    requireVouched(generation.record, header.record, keys, input.access, true);
    const { tree } = loadTree(disk, folder.vault, generation.record, keys);
    damaged.push(...checkContents(disk, folder, header.record.folder, tree, keys, hooks));
    return { ok: damaged.length === 0, damaged, files: tree.files, bytes: tree.bytes };
  } catch (error) {
    if (error instanceof EremosError && error.class === "damage") return { ok: false, damaged: [{ path: ".eremos", reason: error.message }], files: 0, bytes: 0 };
    throw error;
  } finally {
    keys?.wipe();
    letGo(disk, folder);
  }
}

function checkContents(disk: Disk, folder: HeldFolder, id: string, tree: TreeReader, keys: FolderKeys, hooks: Hooks): Damage[] {
  const damaged: Damage[] = [];
  const meter = new Meter(hooks, "checking", tree.files, tree.bytes);
  const packs = new PackReaders((number) => packReader(disk, folder.vault, id, tree, keys, number));
  try {
    checkDir(tree.root, "");
    if (damaged.length === 0) checkPacks();
  } finally {
    packs.closeAll();
  }
  return damaged;

  /** What no file uses any more, and a whole pack put in another's place, show only here. */
  function checkPacks(): void {
    for (const [number, pack] of tree.packs().entries()) {
      const reason = failure(() => (packs.reader(number).hasDigest(pack.digest) ? null : "not the encrypted file that was written here"));
      if (reason !== null) damaged.push({ path: `.eremos/packs/${Buffer.from(pack.object, "base64url").toString("hex")}`, reason });
    }
  }

  function checkDir(dir: DirEntry, path: string): void {
    for (const node of tree.list(dir).entries) {
      const here = path === "" ? displayPath(node.name) : `${path}/${displayPath(node.name)}`;
      if (node.kind === "dir") checkDir(node, here);
      if (node.kind !== "file") continue;
      const { content } = node;
      const reason = content ? failure(() => {
        packs.reader(content.pack).pieces(content.offset, content.length, (piece) => meter.add(0, piece.length));
        return null;
      }) : null;
      if (reason !== null) damaged.push({ path: here, reason });
      meter.add(1, 0);
    }
  }
}

function failure(read: () => string | null): string | null {
  try {
    return read();
  } catch (error) {
    if (error instanceof EremosError && error.code === "damaged") return error.message;
    throw error;
  }
}
