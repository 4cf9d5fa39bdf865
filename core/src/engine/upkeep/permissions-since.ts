import { EremosError, fromSystemError, systemCode } from "../../errors/eremos-error";
import type { DirEntry, Entry, TreeReader } from "../../format/tree";
import type { Dir, Disk, Stat } from "../../platform/port";
import { ACCESS_LIST, permissionsOf, samePermissions, setPermissions } from "../guards";
import { type Hooks, Meter, closeFolder, displayPath, openFolder, within } from "../ground";
import { type FolderKeys, loadState } from "../records";
import { type SealedInput, loadTree, openSealed } from "../contents";
import { keyOf } from "../visiting";
import { said, say } from "@eremos/words/core/upkeep";

export interface PermissionsInput extends SealedInput {
  /** Sets back what differs. */
  readonly repair: boolean;
}

/** Whose an entry is, and what its permissions are. */
export interface Ownership {
  readonly mode: number;
  readonly uid: number;
  readonly gid: number;
  /** It has an access control list. */
  readonly hasList: boolean;
}

interface PermissionChange {
  readonly path: readonly Buffer[];
  readonly was: Ownership;
  readonly is: Ownership;
  /** Null: not asked for, or done; else why it could not be set back. */
  readonly refusal: string | null;
}

export interface PermissionsOutcome {
  readonly changes: readonly PermissionChange[];
  /** Entries that were compared. */
  readonly entries: number;
  readonly repaired: number;
}

/**
 * Compares permissions, owners and access lists of a folder that lies open with those recorded at its last lock, and
 * sets them back where asked to. Names, contents and times are not looked at, and stay. @throws EremosError `not-open`
 * | `needs-folder-password` | `damaged`
 */
export async function permissionsSinceLock(
  disk: Disk,
  input: PermissionsInput,
  hooks: Hooks,
): Promise<PermissionsOutcome> {
  const folder = openFolder(disk, input.path);
  const { dir, ownDir } = folder;
  let keys: FolderKeys | null = null;
  try {
    const state = ownDir && loadState(disk, ownDir);
    if (!ownDir || state?.state !== "open")
      throw new EremosError("not-open", said("does-not-lie-open-so", { path: displayPath(input.path) }));
    const opened = await openSealed(disk, ownDir, state, input);
    ({ keys } = opened);
    const { tree } = loadTree(disk, ownDir, opened.generation, keys);
    const of: Comparing = {
      disk,
      tree,
      meter: new Meter(hooks, "looking", tree.files, 0),
      repair: input.repair,
      changes: [],
      entries: 0,
      repaired: 0,
    };
    compare(of, dir, tree.root, []);
    return { changes: of.changes, entries: of.entries, repaired: of.repaired };
  } catch (error) {
    throw fromSystemError(error, said("comparing-folders-permissions-its-contents"));
  } finally {
    keys?.wipe();
    closeFolder(disk, folder);
  }
}

interface Comparing {
  readonly disk: Disk;
  readonly tree: TreeReader;
  readonly meter: Meter;
  readonly repair: boolean;
  readonly changes: PermissionChange[];
  entries: number;
  repaired: number;
}

function compare(of: Comparing, dir: Dir, before: DirEntry, above: readonly Buffer[]): void {
  const { disk, tree, meter } = of;
  for (const was of [...tree.list(before).entries].sort((a, b) => Buffer.compare(keyBytes(a), keyBytes(b)))) {
    const stat = disk.find(dir, was.name);
    if (!stat || stat.type !== was.kind) continue;
    meter.add(stat.type === "file" ? 1 : 0, 0);
    of.entries++;
    const path = [...above, was.name];
    if (stat.type !== "link") compareOne(of, dir, was, stat, path);
    if (was.kind === "dir" && disk.readable(dir, was.name, disk.stat(dir, was.name)))
      within(disk, disk.openDir(dir, was.name), (inner) => compare(of, inner, was, path));
  }
}

function keyBytes({ name }: Entry): Buffer {
  return Buffer.from(keyOf(name), "latin1");
}

function compareOne(of: Comparing, dir: Dir, { name, meta }: Entry, stat: Stat, path: readonly Buffer[]): void {
  const { disk } = of;
  const recorded = { mode: meta.mode, acl: meta.xattrs.find((one) => one.name.equals(ACCESS_LIST))?.value ?? null };
  const now = permissionsOf(disk, dir, name, stat);
  const isOwners = stat.uid === meta.uid && stat.gid === meta.gid;
  if (isOwners && samePermissions(now, recorded)) return;
  const refusal = of.repair
    ? setBack(disk, dir, name, { ...recorded, uid: meta.uid, gid: meta.gid, isOwners, hadList: now.acl !== null })
    : null;
  if (of.repair && refusal === null) of.repaired++;
  of.changes.push({
    path,
    was: { mode: meta.mode, uid: meta.uid, gid: meta.gid, hasList: recorded.acl !== null },
    is: { mode: stat.mode, uid: stat.uid, gid: stat.gid, hasList: now.acl !== null },
    refusal,
  });
}

interface Recorded {
  readonly mode: number;
  readonly acl: Buffer | null;
  readonly uid: number;
  readonly gid: number;
  readonly isOwners: boolean;
  readonly hadList: boolean;
}

/** Owner first: another owner takes special bits away. */
function setBack(
  disk: Disk,
  dir: Dir,
  name: Buffer,
  { mode, acl, uid, gid, isOwners, hadList }: Recorded,
): string | null {
  try {
    if (!isOwners) disk.setLinkOwner(dir, name, uid, gid);
    if (hadList && !acl) disk.setLinkXattr(dir, name, { name: ACCESS_LIST, value: minimalList(mode) });
    setPermissions(disk, dir, name, { mode, acl });
    return null;
  } catch (error) {
    if (!["EPERM", "EACCES"].includes(systemCode(error) ?? "")) throw error;
    return isOwners ? say("system-does-not-let-this") : say("it-belongs-account-and-only", { uid });
  }
}

/**
 * An access list that says no more than the mode, which the system then keeps as the mode alone. Source:
 * linux/posix_acl_xattr.h.
 */
function minimalList(mode: number): Buffer {
  const entry = (tag: number, bits: number): Buffer => {
    const bytes = Buffer.alloc(8);
    bytes.writeUInt16LE(tag, 0);
    bytes.writeUInt16LE(bits, 2);
    bytes.writeUInt32LE(0xffffffff, 4);
    return bytes;
  };
  const version = Buffer.alloc(4);
  version.writeUInt32LE(2);
  return Buffer.concat([version, entry(0x01, (mode >> 6) & 7), entry(0x04, (mode >> 3) & 7), entry(0x20, mode & 7)]);
}
