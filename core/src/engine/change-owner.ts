import { EremosError, fromSystemError } from "../errors/eremos-error";
import { adoptHeader, openHeader, writeHeader } from "../format/header";
import { wipe } from "../crypto/bytes";
import type { Disk } from "../platform/port";
import type { CheckInput } from "./check";
import { NAMES, commitFile, displayPath, holdFolder, letGo, loadHeader, loadState } from "./vault";

/**
 * Puts the owner envelope of `access` (after a change of the master password: same root key, new password) into a folder's header, the
 * copy first, so that at every moment one whole header opens with the old password or the new. Returns the header's bytes.
 * @throws EremosError `not-protected` | `busy` | `wrong-password` (another owner's) | `damaged`
 */
export async function changeOwner(disk: Disk, input: CheckInput): Promise<Buffer> {
  const folder = holdFolder(disk, input.path, { create: false });
  let folderKey: Buffer | null = null;
  try {
    if (!loadState(disk, folder.vault)) throw new EremosError("not-protected", `${displayPath(input.path)} is not protected by Eremos. Nothing was touched.`);
    const { record: header } = loadHeader(disk, folder.vault, input.keptHeader);
    folderKey = await openHeader(header, input.access.rootKey);
    const bytes = writeHeader(adoptHeader(header, input.access.rootKey, folderKey, input.access.owner));
    for (const name of [NAMES.headerCopy, NAMES.header]) commitFile(disk, folder.vault, name, bytes);
    return bytes;
  } catch (error) {
    throw fromSystemError(error, "putting the new master password into the folder; it still opens with the old one or the new");
  } finally {
    wipe(folderKey);
    letGo(disk, folder);
  }
}
