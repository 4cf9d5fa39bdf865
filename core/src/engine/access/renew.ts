import { wipe } from "../../crypto/bytes";
import { EremosError, fromSystemError } from "../../errors/eremos-error";
import { type Generation, refOf, signGeneration, vouchingOf } from "../../format/generation";
import { type FolderSecret, type Head, isOfEarlierKeys, readHead, withNewKey, writeHead } from "../../format/header";
import { earlierRoots, isRootKeyOf } from "../../format/owner";
import type { FolderPassword } from "../../format/slot";
import type { StateRecord } from "../../format/state";
import type { Disk } from "../../platform/port";
import { type HeaderInput, openFolderKey } from "./change-owner";
import { type HeldFolder, type Hooks, displayPath, holdFolder, letGo } from "../ground";
import {
  FolderKeys,
  type OwnerAccess,
  believedOf,
  commitGenerationRecord,
  commitHead,
  loadGeneration,
  loadState,
  ownerSignature,
  wholeGenerations,
} from "../records";
import { type SealedInput, headToRenew } from "../contents";
import { Visit, type VisitInput } from "../visiting";
import type { Consent } from "../../format/choices";
import { said } from "@eremos/words/core/access";

/**
 * *Somebody knows it*: a folder gets another key, which no earlier secret of its owner's leads to. FORMAT.md §14. Of
 * what its owner had before, only what this computer's own data knows still counts: somebody else may be able to sign
 * with it.
 */
export interface RenewInput extends SealedInput {
  /** The folder's own password, of one that has one; `access.folderKey` is then what it leads to. */
  readonly password: FolderPassword | null;
}

/**
 * Gives the folder a new key, sealed for its owner's present keys, where it does not have one yet. Contents stay as
 * they are. Returns the bytes of its header.
 * @throws EremosError `not-protected` | `busy` | `not-locked` (in the middle of something) | `unvouched` |
 * `needs-folder-password` | `damaged`
 */
export async function renewFolder(disk: Disk, input: RenewInput): Promise<Buffer> {
  const folder = holdFolder(disk, input.path, { create: false });
  try {
    const state = loadState(disk, folder.ownDir);
    if (!state)
      throw new EremosError("not-protected", said("is-not-protected-by-eremos", { path: displayPath(input.path) }));
    if (state.state !== "sealed" && state.state !== "open")
      throw new EremosError("not-locked", said("is-in-middle-something-nothing", { path: displayPath(input.path) }));
    return writeHead(renewedAlready(disk, folder, input) ?? (await renew(disk, folder, state, input)));
  } catch (error) {
    throw fromSystemError(error, said("giving-folder-new-key-it"));
  } finally {
    letGo(disk, folder);
  }
}

function renewedAlready(disk: Disk, folder: HeldFolder, input: RenewInput): Head | null {
  try {
    const head = headToRenew(disk, folder.ownDir, input);
    return isOfEarlierKeys(head, input.access.owner) ? null : head;
  } catch (error) {
    if (error instanceof EremosError && error.code === "unvouched") return null;
    throw error;
  }
}

async function renew(disk: Disk, folder: HeldFolder, state: StateRecord, input: RenewInput): Promise<Head> {
  const { access, password } = input;
  const head = keptHead(input.keptHeader);
  const before = accessBefore(access, head);
  let keys: FolderKeys | null = null;
  try {
    keys = await FolderKeys.open(disk, folder.ownDir, head, before);
    if (head.slots.some(({ kind }) => kind === "owner-and-password") && !password)
      throw new EremosError("needs-folder-password", said("this-folder-has-password-its"));
    if (state.generation)
      signAnew(disk, folder, loadGeneration(disk, folder.ownDir, state.generation).record, { head, before, input });
    const renewed = await withNewKey(
      head,
      { owner: access.owner, rootKey: access.rootKey, rootBefore: before.rootKey },
      keys.folderKey,
      password,
    );
    commitHead(disk, folder.ownDir, renewed);
    return renewed;
  } finally {
    keys?.wipe();
    wipe(before.rootKey);
  }
}

function notKnown(): EremosError {
  return new EremosError("unvouched", said("this-folder-was-locked-with"), { what: "key" });
}

/**
 * The header that Eremos' own data kept: what lies in the folder may be of whoever knows the earlier secret. @throws
 * EremosError `unvouched` where nothing was kept
 */
function keptHead(kept: Buffer | null): Head {
  if (kept) return readHead(kept);
  throw notKnown();
}

/**
 * The access by which a folder opens that was locked before its owner made new keys; the caller wipes its root key.
 * @throws EremosError `unvouched` where none of theirs does
 */
export function accessBefore(access: OwnerAccess, { header }: Pick<Head, "header">): OwnerAccess {
  const roots = earlierRoots(access.owner, access.rootKey);
  const rootKey = roots.find((one) => isRootKeyOf(header.owner, one));
  wipe(...roots.filter((one) => one !== rootKey));
  if (rootKey) return { ...access, owner: header.owner, rootKey };
  throw notKnown();
}

/**
 * The key of a folder that was locked before, and has a password of its own; the caller wipes it. @throws EremosError
 * as {@link openFolderKey}
 */
export async function openFolderKeyBefore(
  disk: Disk,
  input: HeaderInput & { readonly accept?: readonly Consent[] },
  secret: FolderSecret,
): Promise<Buffer> {
  const access = accessBefore(input.access, keptHead(input.keptHeader));
  try {
    return await openFolderKey(disk, { ...input, access }, secret);
  } finally {
    wipe(access.rootKey);
  }
}

interface Known {
  readonly head: Head;
  readonly before: OwnerAccess;
  readonly input: RenewInput;
}

/**
 * The state it is in, and those that it came from, are signed with the present key; the signature of before stays
 * beside. @throws EremosError `unvouched` | `damaged`
 */
function signAnew(
  disk: Disk,
  folder: HeldFolder,
  current: Generation,
  { head, before, input: { access, expected, accept } }: Known,
): void {
  const isVouched = (record: Generation, by: OwnerAccess): boolean =>
    vouchingOf(record, believedOf(by), head) !== "unknown";
  const known = new Set(expected ? [expected.digest] : []);
  const { digest } = refOf(current);
  if (
    !isVouched(current, access) &&
    !(isVouched(current, before) && known.has(digest)) &&
    !accept.includes("unvouched")
  ) {
    throw new EremosError("unvouched", said("since-eremos-last-saw-this"), { what: "lock" });
  }
  known.add(digest);
  const signature = ownerSignature(access);
  try {
    for (const record of [...wholeGenerations(disk, folder.ownDir).records].sort((a, b) => b.number - a.number)) {
      if (!known.has(refOf(record).digest)) continue;
      for (const parent of record.parents) known.add(parent.digest);
      if (!isVouched(record, access)) commitGenerationRecord(disk, folder.ownDir, signGeneration(record, signature));
    }
  } finally {
    wipe(signature.key.privateKey);
  }
}

/** How much of a folder is under its present key. */
export interface SealedAnew {
  readonly generation: number;
  readonly digest: string;
  readonly files: number;
  readonly bytes: number;
  /** Parts that are damaged, and stay under an earlier key. */
  readonly left: number;
  /** Earlier states that are kept, and that an earlier key opens. */
  readonly olderStates: number;
}

/**
 * Seals everything in a locked folder under its present key, as far as it is not; cut off, it goes on from there the
 * next time. @throws EremosError as {@link Visit.open} | `cancelled`
 */
export async function sealAnew(disk: Disk, input: VisitInput, hooks: Hooks): Promise<SealedAnew> {
  const visit = await Visit.open(disk, input);
  try {
    const left = visit.sealAnew(hooks);
    return { ...visit.committed, left, olderStates: visit.statesUnderEarlierKeys() };
  } finally {
    visit.close();
  }
}
