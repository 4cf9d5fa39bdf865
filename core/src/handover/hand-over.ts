import { createHash } from "node:crypto";
import { EremosError, fromSystemError } from "../errors/eremos-error";
import { type Hooks, Meter, withFile } from "../engine/ground";
import { Visit, type VisitInput } from "../engine/visiting";
import type { Disk, OpenFile } from "../platform/port";
import { type FolderPackage, makeLockedFolder } from "./as-folder";
import { type Collected, type StayedOut, collect, collectSealed } from "./collected";
import { PackageWriter, newPackage } from "./package";
import { packagePage } from "./package-page";
import { madeWhole } from "./staging";
import { said } from "@eremos/words/core/handover";

export interface HandOverInput {
  readonly from:
    | { readonly kind: "paths"; readonly paths: readonly Buffer[]; readonly isOpen: boolean }
    /** A locked folder, and what it is called. */
    | {
        readonly kind: "sealed";
        readonly visit: VisitInput;
        readonly name: Buffer;
        /** Of what is in it these alone, names from the folder down; null: everything. */
        readonly only: readonly (readonly Buffer[])[] | null;
      };
  /** Where the package is to be; nothing may be there. */
  readonly to: Buffer;
  /** UTF-8 of its NFC. */
  readonly password: Uint8Array;
  readonly form: PackageForm;
}

export type PackageForm =
  /** The page that opens it, with its places for the package. */
  | { readonly kind: "page"; readonly page: Buffer }
  /** Encrypted by AES-256. Names stay readable, but where it is put into another one. */
  | { readonly kind: "zip"; readonly hidesNames: boolean }
  /** A directory with a locked folder, and a reader beside it. */
  | ({ readonly kind: "folder" } & FolderPackage);

export interface GoesIn {
  readonly files: number;
  /** Of what goes in. */
  readonly bytes: number;
  readonly left: readonly StayedOut[];
}

export interface HandedOver extends GoesIn {
  /** Of the package. */
  readonly size: number;
  /** Hexadecimal SHA-256 of the package; of a folder there is none. */
  readonly digest: string | null;
}

/**
 * Makes a package. It stands at its place when it is whole and durable, not before; cancelled, nothing of it is left; what
 * a kill leaves is hidden and encrypted, and goes with the next that is made there. @throws EremosError `path-taken` | `not-found` | `cancelled` |
 * `changed-while-locking` | `no-space` | `io`, and, of a locked folder, as opening it
 */
export async function handOver(disk: Disk, input: HandOverInput, hooks: Hooks): Promise<HandedOver> {
  return collecting(disk, input.from, (collected) => make(disk, input, collected, hooks));
}

/** What would go into a package. @throws EremosError as {@link handOver} */
export function whatGoesIn(disk: Disk, from: HandOverInput["from"]): Promise<GoesIn> {
  return collecting(disk, from, async ({ handed, left, bytes }) => ({
    files: handed.filter(({ kind }) => kind === "file").length,
    bytes,
    left,
  }));
}

async function collecting<T>(
  disk: Disk,
  from: HandOverInput["from"],
  use: (collected: Collected) => Promise<T>,
): Promise<T> {
  if (from.kind === "paths") return use(collect(disk, from.paths, from.isOpen));
  const visit = await Visit.open(disk, from.visit);
  try {
    return await use(await collectSealed(visit, from.name, from.only));
  } finally {
    visit.close();
  }
}

async function make(
  disk: Disk,
  input: HandOverInput,
  { handed, left, bytes }: Collected,
  hooks: Hooks,
): Promise<HandedOver> {
  const files = handed.filter(({ kind }) => kind === "file").length;
  const [first] = left;
  if (handed.length === 0)
    throw new EremosError(
      "not-found",
      first ? said("all-of-it-stays-out", { path: first.path, reason: first.reason }) : said("nothing-goes-in"),
    );
  const meter = new Meter(hooks, "sealing", files, bytes);
  const count = (some: number, more: number): void => {
    meter.add(some, more);
    meter.stopIfCancelled();
  };
  const { form, password, to } = input;
  if (form.kind === "folder") {
    const size = await makeLockedFolder(disk, handed, { to, password, form }, hooks, meter);
    return { files, bytes, left, size, digest: null };
  }
  return madeAt(disk, to, async (put) => {
    // Loaded by who makes one: most of what is done needs no archive.
    const { writeArchive } = await import("./archive");
    if (form.kind === "zip") await writeArchive(handed, { put, count }, { password, hidesNames: form.hidesNames });
    else await writePage(form.page, password, bytes, put, (plain) => writeArchive(handed, { put: plain, count }));
    return { files, bytes, left };
  });
}

/** `bytes`: about how many there will be. */
async function writePage(
  template: Buffer,
  password: Uint8Array,
  bytes: number,
  put: (bytes: Uint8Array) => void,
  fill: (plain: (bytes: Uint8Array) => void) => Promise<void>,
): Promise<void> {
  const { head, cipher } = await newPackage(password);
  try {
    const page = packagePage(template, head, bytes, put);
    page.begin();
    const writer = new PackageWriter(cipher, (sealed) => page.add(sealed));
    await fill((plain) => writer.add(plain));
    writer.end();
    page.end();
  } finally {
    cipher.wipe();
  }
}

/** Writes a file, durably, and says what became of it. */
async function madeAt<T extends object>(
  disk: Disk,
  to: Buffer,
  make: (put: (bytes: Uint8Array) => void) => Promise<T>,
): Promise<T & { readonly size: number; readonly digest: string }> {
  try {
    return await madeWhole(disk, to, async (staging, name) => {
      const file: OpenFile = disk.create(staging, name, 0o600);
      const hash = createHash("sha256");
      let size = 0;
      const made = await closing(disk, file, async () => {
        const done = await make((bytes) => {
          const piece = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength);
          disk.write(file, piece, 0, piece.length, size);
          hash.update(piece);
          size += piece.length;
        });
        disk.syncFile(file);
        return done;
      });
      return { ...made, size, digest: hash.digest("hex") };
    });
  } catch (error) {
    throw fromSystemError(error, said("making-a-package"));
  }
}

async function closing<T>(disk: Disk, file: OpenFile, use: () => Promise<T>): Promise<T> {
  try {
    return await use();
  } finally {
    withFile(disk, file, () => undefined);
  }
}
