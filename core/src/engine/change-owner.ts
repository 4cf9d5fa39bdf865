import { wipe } from "../crypto/bytes";
import { parsePasswordHashing, workOf } from "../crypto/kdf";
import { EremosError, fromSystemError, isEremosError } from "../errors/eremos-error";
import {
  type FolderHeader,
  type FolderPassword,
  type FolderSecret,
  openHeader,
  openWithSecret,
  withFolderPassword,
  withOwner,
  workOfPassword,
  writeHeader,
} from "../format/header";
import type { OwnerEnvelope } from "../format/owner";
import type { Disk } from "../platform/port";
import { within } from "./handles";
import { devicesOf } from "./keys";
import { type Consent, type SealedInput, headerToRenew } from "./open-sealed";
import {
  type HeldFolder,
  NAMES,
  closeFolder,
  commitFile,
  displayPath,
  holdFolder,
  letGo,
  loadHeaders,
  loadState,
  openFolder,
  readSmallFile,
} from "./vault";

/** Where the folder is, and who changes its header. */
export type HeaderInput = Pick<SealedInput, "path" | "access" | "keptHeader">;

/**
 * Puts the owner's present envelope (after a change of the master password or the recovery code: same root key) into a folder's header.
 * Needs no key of the folder's: the envelope vouches for itself. Returns the header's bytes.
 * @throws EremosError `not-protected` | `busy` | `wrong-password` (another owner's) | `damaged` (the record does not belong to the root key)
 */
export async function changeOwner(disk: Disk, input: HeaderInput): Promise<Buffer> {
  const { owner, rootKey } = input.access;
  return changeHeader(
    disk,
    input,
    "putting the new master password into the folder; it still opens with the old one or the new",
    async (header) => withOwner(header, owner, rootKey),
  );
}

/**
 * A password for this folder alone, another one, or (null) none any more. Content stays as it is. Returns the header's bytes.
 * @throws EremosError `not-protected` | `busy` | `needs-folder-password` | `wrong-password` | `damaged`
 */
export async function changeFolderPassword(
  disk: Disk,
  input: HeaderInput,
  password: FolderPassword | null,
): Promise<Buffer> {
  const { access } = input;
  return changeHeader(
    disk,
    input,
    "changing the folder's password; it still opens with the old one or the new",
    async (header) => {
      const { folderKey, standing } = await openHeader(header, { ...access, devices: devicesOf(access) });
      try {
        if (standing === "unknown")
          throw new EremosError(
            "unvouched",
            "This folder was locked by somebody unknown, so it gets no password of yours. Nothing was changed; open it, if you know who locked it, and lock it anew.",
            { what: "key" },
          );
        return await withFolderPassword(header, access, folderKey, password);
      } finally {
        wipe(folderKey);
      }
    },
  );
}

async function changeHeader(
  disk: Disk,
  input: HeaderInput,
  doing: string,
  change: (header: FolderHeader) => Promise<FolderHeader>,
): Promise<Buffer> {
  const folder = holdFolder(disk, input.path, { create: false });
  try {
    if (!loadState(disk, folder.vault))
      throw new EremosError(
        "not-protected",
        `${displayPath(input.path)} is not protected by Eremos. Nothing was touched.`,
      );
    const bytes = writeHeader(await change(await headerToRenew(disk, folder.vault, input)));
    commitHeader(disk, folder, bytes);
    return bytes;
  } catch (error) {
    throw fromSystemError(error, doing);
  } finally {
    letGo(disk, folder);
  }
}

/** Of a folder whose header was opened and looked at by the caller. Returns the bytes. @throws EremosError `not-protected` | `busy` */
export function replaceHeader(disk: Disk, path: Buffer, bytes: Buffer): Buffer {
  const folder = holdFolder(disk, path, { create: false });
  try {
    if (!loadState(disk, folder.vault))
      throw new EremosError("not-protected", `${displayPath(path)} is not protected by Eremos. Nothing was touched.`);
    commitHeader(disk, folder, bytes);
    return bytes;
  } finally {
    letGo(disk, folder);
  }
}

/** The copy first, so that at every moment one whole header is there. */
export function commitHeader(disk: Disk, folder: HeldFolder, bytes: Buffer): void {
  for (const name of [NAMES.headerCopy, NAMES.header]) commitFile(disk, folder.vault, name, bytes);
  if (disk.find(folder.vault, NAMES.insurance))
    within(disk, disk.openDir(folder.vault, NAMES.insurance), (dir) => commitFile(disk, dir, NAMES.header, bytes));
}

/** The header of a folder as it was opened, in both places: a copy that is damaged, or that somebody put there, is replaced. */
export function keepHeader(disk: Disk, folder: HeldFolder, header: FolderHeader): void {
  const bytes = writeHeader(header);
  const isThere = [NAMES.header, NAMES.headerCopy].every(
    (name) => readSmallFile(disk, folder.vault, name, bytes.length)?.equals(bytes) ?? false,
  );
  if (!isThere) commitHeader(disk, folder, bytes);
}

/**
 * The key of a folder with a password of its own, from that password or the recovery code; the caller wipes it.
 * @throws EremosError `wrong-password` | `wrong-code` | `not-protected` | `damaged` | `costly` (a header that only the folder has asks for more work than the owner's own settings)
 */
export async function openFolderKey(
  disk: Disk,
  { path, access, keptHeader, accept = [] }: HeaderInput & { readonly accept?: readonly Consent[] },
  secret: FolderSecret,
): Promise<Buffer> {
  const folder = openFolder(disk, path);
  try {
    if (!folder.vault)
      throw new EremosError("not-protected", `${displayPath(path)} is not protected by Eremos. Nothing was touched.`);
    // What Eremos' own data kept comes first: whoever can write to the folder could make a try as dear as the format allows.
    const { records } = loadHeaders(disk, folder.vault, keptHeader);
    const own = records.filter(({ record }) => keptHeader !== null && writeHeader(record).equals(keptHeader));
    const most = mostWork(
      access.owner,
      accept,
      own.map(({ record }) => record),
    );
    return await firstOf([...own, ...records.filter((one) => !own.includes(one))], ({ record }) =>
      openWithSecret(record, access.rootKey, secret, most),
    );
  } finally {
    closeFolder(disk, folder);
  }
}

/**
 * What one look at a password may take by a header that may be anybody's: no more than one at the owner's own does, or by the headers that are known; anything where the owner
 * goes on with it.
 */
export function mostWork(
  { password }: OwnerEnvelope,
  accept: readonly Consent[],
  known: readonly FolderHeader[] = [],
): number | undefined {
  return accept.includes("costly")
    ? undefined
    : Math.max(workOf(parsePasswordHashing(password.hashing)), ...known.map(workOfPassword));
}

/** What the first gives that gives anything. @throws what the first one threw */
async function firstOf<T, R>(all: readonly T[], use: (one: T) => Promise<R>): Promise<R> {
  let first: unknown = new RangeError("there was none");
  for (const [i, one] of all.entries()) {
    try {
      return await use(one);
    } catch (error) {
      if (!isEremosError(error)) throw error;
      if (i === 0) first = error;
    }
  }
  throw first;
}
