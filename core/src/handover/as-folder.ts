import { wipe } from "../crypto/bytes";
import { LEAST_COST } from "../crypto/kdf";
import { generateSigningKey } from "../crypto/signature";
import { fromSystemError } from "../errors/eremos-error";
import { type Hooks, type Meter, joinPath, removeEntry, splitPath, within } from "../engine/ground";
import { lockFolder } from "../engine/guards";
import { makeFolder } from "../engine/upkeep";
import { Visit } from "../engine/visiting";
import { newRecoveryCode } from "../format/codes/recovery-code";
import { NO_BARS } from "../format/guards";
import { newId } from "../format/ids";
import { type OwnerEnvelope, createOwner } from "../format/owner";
import type { Disk } from "../platform/port";
import type { Handed } from "./collected";
import { SealedSink } from "./sink";
import { said } from "@eremos/words/core/handover";

export interface FolderPackage {
  /** The reader that stands beside it, and what it is called. */
  readonly reader: Buffer;
  readonly readerName: string;
  /** What stands in the folder while it is locked, for whoever looks into it. */
  readonly page: Buffer;
  /** Whose files and directories are in it. */
  readonly account: { readonly uid: number; readonly gid: number };
}

interface Making {
  /** The directory in which the locked folder and its reader are to be; nothing may be there. */
  readonly to: Buffer;
  /** UTF-8 of its NFC. */
  readonly password: Uint8Array;
  readonly form: FolderPackage;
}

/**
 * A locked folder with a password of its own, and the reader beside it: it opens anywhere by the page, and by Eremos
 * where it lies. It has an owner that is nobody but its password. Returns its bytes on the disk. @throws EremosError
 * `path-taken` | `not-found` | `cancelled` | `no-space` | `io`; nothing is left
 */
export async function makeLockedFolder(
  disk: Disk,
  handed: readonly Handed[],
  making: Making,
  hooks: Hooks,
  meter: Meter,
): Promise<number> {
  const { parent, name } = splitPath(making.to);
  makeFolder(disk, making.to);
  try {
    const size = await fill(disk, handed, making, hooks, meter);
    within(disk, disk.openRoot(making.to), (dir) => {
      const file = disk.create(dir, Buffer.from(making.form.readerName), 0o644);
      try {
        disk.write(file, making.form.reader, 0, making.form.reader.length, 0);
        disk.syncFile(file);
      } finally {
        disk.closeFile(file);
      }
      disk.syncDir(dir);
    });
    return size + making.form.reader.length;
  } catch (error) {
    within(disk, disk.openRoot(parent), (dir) => removeEntry(disk, dir, name));
    throw fromSystemError(error, said("making-a-package"));
  }
}

async function fill(
  disk: Disk,
  handed: readonly Handed[],
  { to, password, form }: Making,
  hooks: Hooks,
  meter: Meter,
): Promise<number> {
  const { folder, inside } = arranged(handed, splitPath(to).name.toString("utf8"));
  const path = joinPath(to, Buffer.from(folder));
  const { envelope, rootKey } = await createOwner(password, newRecoveryCode(), LEAST_COST);
  try {
    await lockEmpty(disk, path, form.page, envelope, rootKey, hooks);
    const access = { owner: envelope, rootKey, folderKey: null, devices: [] };
    const visit = await Visit.open(disk, {
      path,
      access,
      keptHeader: null,
      expected: null,
      accept: [],
      account: form.account,
    });
    try {
      const sink = new SealedSink(visit, disk, path);
      for (const one of handed) put(sink, one, inside(one.name), meter);
      visit.commit();
      return visit.committed.bytes;
    } finally {
      visit.close();
    }
  } finally {
    wipe(rootKey);
  }
}

/** Before anything is in it: nothing of it is ever readable there. */
async function lockEmpty(
  disk: Disk,
  path: Buffer,
  page: Buffer,
  owner: OwnerEnvelope,
  rootKey: Buffer,
  hooks: Hooks,
): Promise<void> {
  makeFolder(disk, path);
  const device = Buffer.from(generateSigningKey().publicKey);
  await lockFolder(
    disk,
    {
      guard: "sealed",
      bars: NO_BARS,
      owner,
      path,
      folder: newId(),
      visibility: "view",
      cover: null,
      places: [splitPath(path).parent],
      sealing: {
        signer: { by: "owner", owner, rootKey, device, password: null },
        note: null,
        page,
        item: null,
        icon: null,
        inUseAnyway: false,
      },
    },
    { ...hooks, progress: () => undefined },
  );
}

function put(sink: SealedSink, { kind, size, modifiedAt, pieces }: Handed, inside: string, meter: Meter): void {
  if (inside === "") return;
  const path = inside.split("/").map((part) => Buffer.from(part));
  if (kind === "dir") return sink.makeDir(path);
  const file = sink.begin(path, size);
  try {
    for (const piece of pieces()) {
      file.append(piece);
      meter.add(0, piece.length);
      meter.stopIfCancelled();
    }
    file.finish(BigInt(Math.round(modifiedAt)) * 1_000_000n);
    meter.add(1, 0);
  } catch (error) {
    file.abort();
    throw error;
  }
}

/** One folder of it all keeps its name; anything else lies in one called as the whole. */
function arranged(
  handed: readonly Handed[],
  whole: string,
): { readonly folder: string; readonly inside: (name: string) => string } {
  const [first = ""] = handed[0]?.name.split("/") ?? [];
  const isOne = handed.every(({ name, kind }) => name.startsWith(`${first}/`) || (name === first && kind === "dir"));
  return isOne
    ? { folder: first, inside: (name) => name.slice(first.length + 1) }
    : { folder: whole, inside: (name) => name };
}
