import { EremosError } from "../../errors/eremos-error";
import { type Generation, segmentsOf } from "../../format/generation";
import { sealedLength } from "../../format/object";
import { randomBytes } from "../../crypto/bytes";
import type { DirEntry, FileEntry, TreeReader } from "../../format/tree";
import type { Disk } from "../../platform/port";
import { type HeldFolder, type Hooks, Meter, displayPath, holdFolder, letGo } from "../ground";
import { type FolderKeys, damagedRecords, isFileWhole, loadManifest, loadState } from "../records";
import {
  PackReaders,
  type SealedInput,
  forEachChunk,
  loadTree,
  lookAtSealed,
  packReader,
  unlessDamaged,
} from "../contents";
import { said, say } from "@eremos/words/core/upkeep";

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

/**
 * Reads and authenticates everything a sealed copy consists of, and names each file that could not be given back.
 * Changes nothing.
 */
export async function checkFolder(disk: Disk, input: CheckRequest, hooks: Hooks): Promise<CheckOutcome> {
  const folder = holdFolder(disk, input.path, { create: false });
  let keys: FolderKeys | null = null;
  try {
    const state = loadState(disk, folder.ownDir);
    if (!state)
      throw new EremosError("not-protected", said("is-not-protected-by-eremos", { path: displayPath(input.path) }));
    const damaged: Damage[] = [];
    const {
      head: { header },
      generation,
      keys: opened,
      questions,
      damaged: copies,
    } = await lookAtSealed(disk, folder.ownDir, state, input);
    keys = opened;
    for (const copy of copies) damaged.push({ path: `.eremos/${copy.path}`, reason: copy.reason });
    // Whole is not enough: it has to be what its owner locked last. What is on its way here is no damage.
    for (const { message } of questions.filter(({ code }) => code !== "arriving"))
      damaged.push({ path: ".eremos", reason: message });
    damaged.push(...checkRecords(disk, folder, generation));
    const { tree } = loadTree(disk, folder.ownDir, generation, keys);
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

/** What Eremos keeps itself: every copy of every record, and the index, beginning and all. */
function checkRecords(disk: Disk, { ownDir }: HeldFolder, generation: Generation): Damage[] {
  const { record: manifest, damaged } = loadManifest(disk, ownDir, generation.manifest);
  const copies = [...damagedRecords(disk, ownDir), ...damaged].map(({ path, reason }) => ({
    path: `.eremos/${path}`,
    reason,
  }));
  const isWhole = (object: string): boolean => {
    const its = manifest.get(object);
    return its?.kind === "index" && isFileWhole(disk, ownDir, "index", its);
  };
  return [
    ...copies,
    ...segmentsOf(generation)
      .filter(({ object }) => !isWhole(object))
      .map(({ object }) => ({
        path: `.eremos/index/${object}`,
        reason: say("not-encrypted-file-that-was"),
      })),
  ];
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
  const packs = new PackReaders((number) => packReader(disk, folder.ownDir, id, tree, keys, number));
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
    if (damaged.length === 0 && !sample) checkPacks();
    return { damaged, files: files.length, bytes };
  } finally {
    packs.closeAll();
  }

  /** What no file uses any more, and a file whose beginning alone is damaged, show only here. A sample does without. */
  function checkPacks(): void {
    for (const { object, length, digest } of tree.packs()) {
      if (isFileWhole(disk, folder.ownDir, "pack", { object, length: sealedLength(length), digest })) continue;
      damaged.push({ path: `.eremos/packs/${object}`, reason: say("not-encrypted-file-that-was") });
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
function lostOf(packs: PackReaders, entry: FileEntry): Pick<Damage, "ranges"> {
  const { content } = entry;
  if (!content) return {};
  const ranges: { from: number; until: number }[] = [];
  forEachChunk(entry, (from, length, position) => {
    if (unlessDamaged(() => packs.reader(content.pack).pieces(from, length, () => undefined))) return;
    const last = ranges.at(-1);
    if (last?.until === position) last.until += length;
    else ranges.push({ from: position, until: position + length });
  });
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
