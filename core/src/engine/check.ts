import { EremosError } from "../errors/eremos-error";
import { CHUNK_BYTES } from "../format/object";
import { randomBytes } from "../crypto/bytes";
import type { DirEntry, FileEntry, TreeReader } from "../format/tree";
import type { Disk } from "../platform/port";
import { type Hooks, Meter } from "./hooks";
import type { FolderKeys } from "./keys";
import { loadTree, packReader } from "./load-tree";
import { type SealedInput, lookAtSealed } from "./open-sealed";
import { PackReaders } from "./restore-tree";
import { type HeldFolder, displayPath, holdFolder, letGo, loadState } from "./vault";

export interface Damage {
  /** A path inside the folder, or inside Eremos' own directory. */
  readonly path: string;
  readonly reason: string;
  /** Of a file that is there in part: which of its bytes are lost, from where to before where. */
  readonly ranges?: readonly { readonly from: number; readonly until: number }[];
}

export interface CheckOutcome {
  readonly ok: boolean;
  readonly damaged: readonly Damage[];
  readonly files: number;
  readonly bytes: number;
}

export interface CheckRequest extends Omit<SealedInput, "accept"> {
  /** Headers, records and index whole, and of the files a few at random. */
  readonly sample?: boolean;
}

/** A sample takes seconds, whatever the folder holds. */
const SAMPLE_BYTES = 64 * 1024 * 1024;
const SAMPLE_FILES = 500;

/** Reads and authenticates everything a sealed copy consists of, and names each file that could not be given back. Changes nothing. */
export async function checkFolder(disk: Disk, input: CheckRequest, hooks: Hooks): Promise<CheckOutcome> {
  const folder = holdFolder(disk, input.path, { create: false });
  let keys: FolderKeys | null = null;
  try {
    const state = loadState(disk, folder.vault);
    if (!state) throw new EremosError("not-protected", `${displayPath(input.path)} is not protected by Eremos.`);
    const damaged: Damage[] = [];
    const {
      header,
      generation,
      keys: opened,
      questions,
      damaged: copies,
    } = await lookAtSealed(disk, folder.vault, state.generation, input);
    keys = opened;
    for (const copy of copies) damaged.push({ path: `.eremos/${copy.path}`, reason: copy.reason });
    // Whole is not enough: it has to be what its owner locked last.
    for (const { message } of questions) damaged.push({ path: ".eremos", reason: message });
    const { tree } = loadTree(disk, folder.vault, generation, keys);
    const looked = checkContents(disk, folder, header.folder, tree, keys, hooks, input.sample ?? false);
    damaged.push(...looked.damaged);
    return { ok: damaged.length === 0, damaged, files: looked.files, bytes: looked.bytes };
  } catch (error) {
    if (error instanceof EremosError && error.class === "damage")
      return { ok: false, damaged: [{ path: ".eremos", reason: error.message }], files: 0, bytes: 0 };
    throw error;
  } finally {
    keys?.wipe();
    letGo(disk, folder);
  }
}

interface Looked {
  readonly damaged: readonly Damage[];
  readonly files: number;
  readonly bytes: number;
}

interface Named {
  readonly path: string;
  readonly entry: FileEntry;
}

function checkContents(
  disk: Disk,
  folder: HeldFolder,
  id: string,
  tree: TreeReader,
  keys: FolderKeys,
  hooks: Hooks,
  sample: boolean,
): Looked {
  const damaged: Damage[] = [];
  const all = [...filesIn(tree, tree.root, "")];
  const files = sample ? sampleOf(all) : all;
  const bytes = files.reduce((sum, { entry }) => sum + entry.size, 0);
  const meter = new Meter(hooks, "checking", files.length, bytes);
  const packs = new PackReaders((number) => packReader(disk, folder.vault, id, tree, keys, number));
  try {
    for (const { path, entry } of files) {
      const { content } = entry;
      const reason = content
        ? failure(() => {
            packs.reader(content.pack).pieces(content.offset, content.length, (piece) => meter.add(0, piece.length));
            return null;
          })
        : null;
      if (content && reason !== null) damaged.push({ path, reason, ...lostOf(packs, entry) });
      meter.add(1, 0);
    }
    if (damaged.length === 0) checkPacks();
    return { damaged, files: files.length, bytes };
  } finally {
    packs.closeAll();
  }

  /** What no file uses any more, and a whole pack put in another's place, show only here. */
  function checkPacks(): void {
    for (const [number, pack] of tree.packs().entries()) {
      const reason = failure(() =>
        packs.reader(number).hasDigest(pack.digest) ? null : "not the encrypted file that was written here",
      );
      if (reason !== null)
        damaged.push({ path: `.eremos/packs/${Buffer.from(pack.object, "base64url").toString("hex")}`, reason });
    }
  }
}

function* filesIn(tree: TreeReader, dir: DirEntry, path: string): Generator<Named> {
  for (const entry of tree.list(dir).entries) {
    const here = path === "" ? displayPath(entry.name) : `${path}/${displayPath(entry.name)}`;
    if (entry.kind === "dir") yield* filesIn(tree, entry, here);
    else if (entry.kind === "file") yield { path: here, entry };
  }
}

function sampleOf(all: readonly Named[]): Named[] {
  const chosen: Named[] = [];
  let bytes = 0;
  const left = [...all];
  while (left.length > 0 && chosen.length < SAMPLE_FILES && bytes < SAMPLE_BYTES) {
    const at = randomBytes(4).readUInt32LE(0) % left.length;
    const last = left.pop();
    const next = at < left.length ? left[at] : last;
    if (at < left.length && last) left[at] = last;
    if (!next) break;
    // One that is larger than the sample would make it no sample any more.
    if (next.entry.size > SAMPLE_BYTES) continue;
    chosen.push(next);
    bytes += next.entry.size;
  }
  return chosen;
}

/** Which bytes of a damaged file can't be read, chunk by chunk. Nothing where its pack can't be opened at all. */
function lostOf(packs: PackReaders, { content, extents, size }: FileEntry): Pick<Damage, "ranges"> {
  if (!content) return {};
  const stretches = extents ?? [{ offset: 0, length: size }];
  const ranges: { from: number; until: number }[] = [];
  let at = content.offset;
  for (const { offset, length } of stretches) {
    for (let done = 0; done < length;) {
      const step = Math.min(length - done, CHUNK_BYTES - ((at + done) % CHUNK_BYTES));
      const isLost =
        failure(() => {
          packs.reader(content.pack).pieces(at + done, step, () => undefined);
          return null;
        }) !== null;
      const last = ranges.at(-1);
      if (isLost && last?.until === offset + done) last.until += step;
      else if (isLost) ranges.push({ from: offset + done, until: offset + done + step });
      done += step;
    }
    at += length;
  }
  return { ranges };
}

function failure(read: () => string | null): string | null {
  try {
    return read();
  } catch (error) {
    if (error instanceof EremosError && error.code === "damaged") return error.message;
    throw error;
  }
}
