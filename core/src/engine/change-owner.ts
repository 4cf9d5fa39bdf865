import { wipe } from "../crypto/bytes";
import { EremosError, fromSystemError } from "../errors/eremos-error";
import { type FolderHeader, type FolderPassword, type FolderSecret, openHeader, openWithSecret, withFolderPassword, writeHeader } from "../format/header";
import type { OwnerEnvelope } from "../format/owner";
import type { Disk } from "../platform/port";
import type { CheckInput } from "./check";
import { within } from "./handles";
import { type HeldFolder, NAMES, closeFolder, commitFile, displayPath, holdFolder, letGo, loadHeader, loadState, openFolder } from "./vault";

export interface ChangeOwnerInput {
  readonly path: Buffer;
  readonly owner: OwnerEnvelope;
  readonly keptHeader: Buffer | null;
}

/**
 * Puts the owner's present envelope (after a change of the master password or the recovery code: same root key) into a folder's header.
 * Needs no key: the envelope vouches for itself. Returns the header's bytes.
 * @throws EremosError `not-protected` | `busy` | `wrong-password` (another owner's) | `damaged`
 */
export async function changeOwner(disk: Disk, { owner, ...input }: ChangeOwnerInput): Promise<Buffer> {
  return changeHeader(disk, input, "putting the new master password into the folder; it still opens with the old one or the new", async (header) => {
    if (header.owner.owner !== owner.owner) throw new EremosError("wrong-password", "This folder was locked by another owner. Nothing was changed.");
    return { ...header, owner };
  });
}

/**
 * A password for this folder alone, another one, or (null) none any more. Content stays as it is. Returns the header's bytes.
 * @throws EremosError `not-protected` | `busy` | `needs-folder-password` | `wrong-password` | `damaged`
 */
export async function changeFolderPassword(disk: Disk, { access, ...input }: CheckInput, password: FolderPassword | null): Promise<Buffer> {
  return changeHeader(disk, input, "changing the folder's password; it still opens with the old one or the new", async (header) => {
    const folderKey = await openHeader(header, access);
    try {
      return await withFolderPassword(header, access, folderKey, password);
    } finally {
      wipe(folderKey);
    }
  });
}

/** The copy first, so that at every moment one whole header is there. */
export async function changeHeader(disk: Disk, input: Pick<CheckInput, "path" | "keptHeader">, doing: string, change: (header: FolderHeader) => Promise<FolderHeader>): Promise<Buffer> {
  const folder = holdFolder(disk, input.path, { create: false });
  try {
    if (!loadState(disk, folder.vault)) throw new EremosError("not-protected", `${displayPath(input.path)} is not protected by Eremos. Nothing was touched.`);
    const bytes = writeHeader(await change(loadHeader(disk, folder.vault, input.keptHeader).record));
    commitHeader(disk, folder, bytes);
    return bytes;
  } catch (error) {
    throw fromSystemError(error, doing);
  } finally {
    letGo(disk, folder);
  }
}

export function commitHeader(disk: Disk, folder: HeldFolder, bytes: Buffer): void {
  for (const name of [NAMES.headerCopy, NAMES.header]) commitFile(disk, folder.vault, name, bytes);
  if (disk.find(folder.vault, NAMES.insurance)) within(disk, disk.openDir(folder.vault, NAMES.insurance), (dir) => commitFile(disk, dir, NAMES.header, bytes));
}

/**
 * The key of a folder with a password of its own, from that password or the recovery code; the caller wipes it.
 * @throws EremosError `wrong-password` | `wrong-code` | `not-protected` | `damaged`
 */
export async function openFolderKey(disk: Disk, { path, access, keptHeader }: CheckInput, secret: FolderSecret): Promise<Buffer> {
  const folder = openFolder(disk, path);
  try {
    if (!folder.vault) throw new EremosError("not-protected", `${displayPath(path)} is not protected by Eremos. Nothing was touched.`);
    return await openWithSecret(loadHeader(disk, folder.vault, keptHeader).record, access.rootKey, secret);
  } finally {
    closeFolder(disk, folder);
  }
}
