import { isEncrypting } from "../../format/guards";
import { fromBase64, wipe } from "../../crypto/bytes";
import { openEnvelope, sealTo } from "../../crypto/envelope";
import { EremosError, fromSystemError } from "../../errors/eremos-error";
import { signGeneration } from "../../format/generation";
import { type GuardRecord, placePurpose } from "../../format/guard-record";
import { type Head, isOfEarlierKeys, withFolderPassword, withNewKey, withOwner } from "../../format/header";
import { isName, namesOf } from "../../format/tree";
import { type OwnerEnvelope, openOwner, openSealingKey } from "../../format/owner";
import type { Disk } from "../../platform/port";
import { directorySource } from "../../rescue/directory-source";
import type { RescueSecret } from "../../rescue/keys-of-folder";
import { type LockedFolder, openLocked } from "../../rescue/locked-folder";
import { mostWork, replaceHead } from "./change-owner";
import { commitGenerationRecord, joinIn, ownerSignature, wholeGenerations } from "../records";
import { accessBefore } from "./renew";
import { type Inspection, commitGuard, inspectFolder, loadGuard } from "../guards";
import { busyWith, closeFolder, displayPath, holdFolder, joinPath, letGo, openFolder, splitPath } from "../ground";
import type { Consent } from "../../format/choices";
import { said } from "@eremos/words/core/access";

export interface AdoptInput {
  /** Where it lies now, under whatever name. */
  readonly path: Buffer;
  /** The roots Eremos may protect in: it belongs into one of them. */
  readonly places: readonly Buffer[];
  readonly owner: OwnerEnvelope;
  readonly rootKey: Uint8Array;
  /** This computer's public key, by which locks made while signed out are known. */
  readonly devices: readonly Uint8Array[];
  /**
   * What opens it where the owner's root key alone does not: it was locked by another owner, or has a password of its
   * own.
   */
  readonly secret: RescueSecret | null;
  /** What the owner was told and goes on with. */
  readonly accept: readonly Consent[];
}

/** What the owner's list is to know of a folder that was found. */
export interface Adopted {
  readonly folder: string;
  /** Its ordinary path, as far as it can be told from where it lies now. */
  readonly path: Buffer;
  readonly generation: number;
  readonly digest: string;
  readonly files: number;
  readonly bytes: number;
  /** base64url; empty where it is not sealed. */
  readonly publicKey: string;
  /** The header's bytes, for the owner's database; null where it is not sealed. */
  readonly header: Buffer | null;
  /** Bars of a barred folder. */
  readonly bars: GuardRecord["bars"] | null;
}

/**
 * Makes a folder that was found on a disk this owner's: one of theirs that the list has lost, or one that another owner
 * (Eremos before, on another computer) locked. Contents stay as they are, and so does whether it is locked.
 * @throws EremosError `not-protected` | `wrong-password` | `wrong-code` | `needs-folder-password` | `busy` | `damaged`
 */
export async function adoptFolder(disk: Disk, input: AdoptInput): Promise<Adopted> {
  const inspection = inspectFolder(disk, input.path);
  if (!inspection)
    throw new EremosError("not-protected", said("is-not-protected-by-eremos", { path: displayPath(input.path) }));
  requireOwnDirectories(disk, input.path);
  if (inspection.busy) throw busyWith(disk, input.path);
  try {
    return await (isEncrypting(inspection) ? adoptSealed : adoptGuarded)(disk, input, inspection);
  } catch (error) {
    throw fromSystemError(error, said("taking-folder-in-it-is"));
  }
}

/** Another account's directory that says it is this owner's folder is none. @throws EremosError `no-permission` */
function requireOwnDirectories(disk: Disk, path: Buffer): void {
  const folder = openFolder(disk, path);
  try {
    if (disk.owns(disk.statOpen(folder.dir)) && (!folder.ownDir || disk.owns(disk.statOpen(folder.ownDir)))) return;
    throw new EremosError("no-permission", said("belongs-another-account-this-computer", { path: displayPath(path) }));
  } finally {
    closeFolder(disk, folder);
  }
}

async function adoptSealed(
  disk: Disk,
  { path, places, owner, rootKey, devices, secret, accept }: AdoptInput,
  inspection: Inspection,
): Promise<Adopted> {
  const locked = await openLocked(
    directorySource(path),
    secret ?? { kind: "root", rootKey, folder: null, devices },
    null,
    mostWork(owner, accept),
  );
  try {
    // Once it is in the list, locks are made with its key.
    if (locked.doubt !== null)
      throw new EremosError("unvouched", said("nothing-was-changed-and-it", { doubt: locked.doubt }), { what: "key" });
    const { generation, digest } = locked;
    if (generation === null || digest === null) throw new EremosError("damaged", said("this-folders-index-cant-be"));
    const files = locked.entries.filter(({ kind }) => kind === "file");
    const folderKey = locked.folderKey();
    const isOwn = locked.head.header.owner.owner === owner.owner && !isOfEarlierKeys(locked.head, owner);
    if (!isOwn) signStates(disk, path, { owner, rootKey }, locked);
    const renewed = await taken(locked.head, { owner, rootKey, devices }, folderKey).finally(() => wipe(folderKey));
    const header = replaceHead(disk, path, renewed);
    announce(disk, path);
    return {
      folder: inspection.folder,
      path: ordinaryPath(path, locked.place, inspection, places),
      generation,
      digest,
      files: files.length,
      bytes: files.reduce((sum, { size }) => sum + size, 0),
      publicKey: locked.head.header.publicKey,
      header,
      bars: null,
    };
  } finally {
    locked.close();
  }
}

function announce(disk: Disk, path: Buffer): void {
  const folder = holdFolder(disk, path, { create: false });
  try {
    joinIn(disk, folder.ownDir);
  } finally {
    letGo(disk, folder);
  }
}

/** One of this owner's from before they made new keys gets a new one; one of another owner's keeps its own. */
async function taken(
  head: Head,
  by: Pick<AdoptInput, "owner" | "rootKey" | "devices">,
  folderKey: Buffer,
): Promise<Head> {
  if (head.header.owner.owner !== by.owner.owner) return withFolderPassword(head, by, folderKey, null);
  if (!isOfEarlierKeys(head, by.owner)) return withOwner(head, by);
  const before = accessBefore({ ...by, folderKey: null }, head);
  try {
    return await withNewKey(head, { ...by, rootBefore: before.rootKey }, folderKey, null);
  } finally {
    wipe(before.rootKey);
  }
}

/**
 * The states that the owner before, or their computers, stood behind are this owner's, too; their own signatures stay
 * beside.
 */
function signStates(disk: Disk, path: Buffer, by: Pick<AdoptInput, "owner" | "rootKey">, locked: LockedFolder): void {
  const folder = holdFolder(disk, path, { create: false });
  const signature = ownerSignature(by);
  try {
    for (const record of wholeGenerations(disk, folder.ownDir).records)
      if (locked.isVouched(record)) commitGenerationRecord(disk, folder.ownDir, signGeneration(record, signature));
  } finally {
    wipe(signature.key.privateKey);
    letGo(disk, folder);
  }
}

async function adoptGuarded(
  disk: Disk,
  { path, places, owner, rootKey, secret, accept }: AdoptInput,
  inspection: Inspection,
): Promise<Adopted> {
  const folder = holdFolder(disk, path, { create: false });
  try {
    const record = loadGuard(disk, folder.ownDir);
    if (!record)
      throw new EremosError("not-protected", said("is-not-protected-by-eremos", { path: displayPath(path) }));
    const place = await placeOf(record, owner, rootKey, secret, mostWork(owner, accept));
    const ordinary = ordinaryPath(path, place, inspection, places);
    const sealed = isOwnersRecord(record, owner)
      ? record.place
      : await sealTo(fromBase64(owner.sealing.publicKey, 32), placePurpose(record.folder), place);
    // From now on this computer knows the record as its own.
    commitGuard(disk, folder.ownDir, { ...record, owner, place: sealed });
    return {
      folder: record.folder,
      path: ordinary,
      generation: 0,
      digest: "",
      files: 0,
      bytes: 0,
      publicKey: "",
      header: null,
      bars: record.bars,
    };
  } finally {
    letGo(disk, folder);
  }
}

/** Of theirs, and of the keys that they have now. */
function isOwnersRecord({ owner: its }: GuardRecord, owner: OwnerEnvelope): boolean {
  return its.owner === owner.owner && its.signing.publicKey === owner.signing.publicKey;
}

async function placeOf(
  record: GuardRecord,
  owner: OwnerEnvelope,
  ownRoot: Uint8Array,
  secret: RescueSecret | null,
  most: number | undefined,
): Promise<Buffer> {
  const isOwn = isOwnersRecord(record, owner);
  if (!isOwn && (secret === null || secret.kind === "root"))
    throw new EremosError("wrong-password", said("this-folder-was-locked-by"));
  const root =
    isOwn || secret === null || secret.kind === "root"
      ? Buffer.from(ownRoot)
      : (await openOwner(record.owner, secret, most)).rootKey;
  const sealingKey = openSealingKey(record.owner, root);
  try {
    const place = await openEnvelope(sealingKey, placePurpose(record.folder), record.place);
    if (!place) throw new EremosError("damaged", said("folders-ordinary-path-cant-be"));
    return place;
  } finally {
    wipe(root, sealingKey);
  }
}

/**
 * Where a folder belongs, by where it lies now: the disk it lies on may be mounted elsewhere, or it was moved. Its
 * recorded path tells its name, and for one that is tucked away the directories between its held area and its place.
 * FORMAT.md §7.5.
 */
function ordinaryPath(path: Buffer, place: Buffer | null, inspection: Inspection, places: readonly Buffer[]): Buffer {
  const ordinary = pathByRecord(path, place, inspection);
  if (isPlainPath(ordinary) && places.some((root) => isBelow(ordinary, root))) return ordinary;
  throw new EremosError(
    "outside-places",
    said("record-says-that-it-belongs", { path: displayPath(path), ordinary: displayPath(ordinary) }),
    { path: displayPath(ordinary) },
  );
}

/** Whole, and without a part that leads up or nowhere. */
function isPlainPath(path: Buffer): boolean {
  return path[0] === 0x2f && namesOf(path.subarray(1)).every(isName);
}

function isBelow(path: Buffer, root: Buffer): boolean {
  const above = joinPath(root, Buffer.alloc(0));
  return path.length > above.length && path.subarray(0, above.length).equals(above);
}

function pathByRecord(path: Buffer, place: Buffer | null, { visibility, lockedName, held, state }: Inspection): Buffer {
  const lies = splitPath(path);
  const isElsewhere = lockedName !== null && lies.name.equals(Buffer.from(lockedName)) && state !== "open";
  if (!isElsewhere || !place) return path;
  if (!isPlainPath(place)) return place;
  if (visibility !== "tucked") return joinPath(lies.parent, splitPath(place).name);
  const above = splitPath(lies.parent).parent;
  const names: Buffer[] = [];
  for (let at = place, level = 0; level <= (held ?? 0); level++) {
    const { parent, name } = splitPath(at);
    names.unshift(name);
    at = parent;
  }
  return names.reduce((sum, name) => joinPath(sum, name), above);
}
