import type { Said } from "@eremos/words";
import { wipe } from "../../crypto/bytes";
import { parsePasswordHashing, workOf } from "../../crypto/kdf";
import { EremosError, fromSystemError, isEremosError } from "../../errors/eremos-error";
import {
  type FolderSecret,
  type Head,
  openHead,
  openWithSecret,
  withFolderPassword,
  withOwner,
  workOfPassword,
  writeHead,
} from "../../format/header";
import type { OwnerEnvelope } from "../../format/owner";
import type { Disk } from "../../platform/port";
import type { FolderPassword } from "../../format/slot";
import { type SealedInput, headToRenew } from "../contents";
import { commitHead, loadHeads, loadState } from "../records";
import { closeFolder, displayPath, holdFolder, letGo, openFolder } from "../ground";
import type { Consent } from "../../format/choices";
import { said } from "@eremos/words/core/access";

/** Where the folder is, and who changes its header. */
export type HeaderInput = Pick<SealedInput, "path" | "access" | "keptHeader">;

/**
 * Puts the owner's present envelope (after a change of the master password or the recovery code: same root key) into a
 * folder's header. Needs no key of the folder's: the envelope vouches for itself. Returns the header's bytes.
 * @throws EremosError `not-protected` | `busy` | `wrong-password` (another owner's) | `damaged` (the record does not
 * belong to the root key)
 */
export async function changeOwner(disk: Disk, input: HeaderInput): Promise<Buffer> {
  const { owner, rootKey } = input.access;
  return changeHeader(disk, input, said("putting-new-master-password-into"), async (head) =>
    withOwner(head, { owner, rootKey }),
  );
}

/**
 * A password for this folder alone, another one, or (null) none any more. Content stays as it is. Returns the header's
 * bytes.
 * @throws EremosError `not-protected` | `busy` | `needs-folder-password` | `wrong-password` | `damaged`
 */
export async function changeFolderPassword(
  disk: Disk,
  input: HeaderInput,
  password: FolderPassword | null,
): Promise<Buffer> {
  const { access } = input;
  return changeHeader(disk, input, said("changing-folders-password-it-still"), async (head) => {
    const folderKey = await openHead(head, access);
    try {
      return await withFolderPassword(head, access, folderKey, password);
    } finally {
      wipe(folderKey);
    }
  });
}

async function changeHeader(
  disk: Disk,
  input: HeaderInput,
  doing: Said,
  change: (head: Head) => Promise<Head>,
): Promise<Buffer> {
  const folder = holdFolder(disk, input.path, { create: false });
  try {
    if (!loadState(disk, folder.ownDir))
      throw new EremosError("not-protected", said("is-not-protected-by-eremos", { path: displayPath(input.path) }));
    const head = await change(headToRenew(disk, folder.ownDir, input));
    commitHead(disk, folder.ownDir, head);
    return writeHead(head);
  } catch (error) {
    throw fromSystemError(error, doing);
  } finally {
    letGo(disk, folder);
  }
}

/**
 * Of a folder whose header was opened and looked at by the caller. Returns the bytes. @throws EremosError
 * `not-protected` | `busy`
 */
export function replaceHead(disk: Disk, path: Buffer, head: Head): Buffer {
  const folder = holdFolder(disk, path, { create: false });
  try {
    if (!loadState(disk, folder.ownDir))
      throw new EremosError("not-protected", said("is-not-protected-by-eremos", { path: displayPath(path) }));
    commitHead(disk, folder.ownDir, head);
    return writeHead(head);
  } finally {
    letGo(disk, folder);
  }
}

/**
 * The key of a folder with a password of its own, from that password or the recovery code; the caller wipes it.
 * @throws EremosError `wrong-password` | `wrong-code` | `not-protected` | `damaged` | `costly` (a header that only the
 * folder has asks for more work than the owner's own settings)
 */
export async function openFolderKey(
  disk: Disk,
  { path, access, keptHeader, accept = [] }: HeaderInput & { readonly accept?: readonly Consent[] },
  secret: FolderSecret,
): Promise<Buffer> {
  const folder = openFolder(disk, path);
  try {
    if (!folder.ownDir)
      throw new EremosError("not-protected", said("is-not-protected-by-eremos", { path: displayPath(path) }));
    // What Eremos' own data kept comes first: whoever can write to the folder could make a try as dear as the format
    // allows.
    const { heads } = loadHeads(disk, folder.ownDir, keptHeader);
    const own = heads.filter(({ head }) => keptHeader !== null && writeHead(head).equals(keptHeader));
    const most = mostWork(
      access.owner,
      accept,
      own.map(({ head }) => head),
    );
    return await firstOf([...own, ...heads.filter((one) => !own.includes(one))], ({ head }) =>
      openWithSecret(head, access.rootKey, secret, most),
    );
  } finally {
    closeFolder(disk, folder);
  }
}

/**
 * What one look at a password may take by a header that may be anybody's: no more than one at the owner's own does, or
 * by the headers that are known; anything where the owner goes on with it.
 */
export function mostWork(
  { password }: OwnerEnvelope,
  accept: readonly Consent[],
  known: readonly Head[] = [],
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
