import * as fs from "node:fs";
import { readPlanted } from "../planted";
import type { Medium } from "../port";

/** What the system says of mounts and devices. Sources: proc_pid_mountinfo(5), sysfs-block (linux/Documentation/ABI). */
export interface MediumTables {
  /** The line of /proc/self/mountinfo that the directory is under. */
  readonly mount: string;
  /** Major and minor number of a device file, as `8:1`; null where it is none. */
  device(path: string): string | null;
  /** A small file of the system's, or null. */
  read(path: string): string | null;
  /** Names in a directory of the system's; none where there is none. */
  list(path: string): readonly string[];
}

/** They write over a file's blocks where they lie. `fuseblk`: programs of the system that keep exFAT and NTFS so. */
const IN_PLACE = new Set([
  "ext2",
  "ext3",
  "ext4",
  "xfs",
  "jfs",
  "vfat",
  "msdos",
  "exfat",
  "ntfs",
  "ntfs3",
  "fuseblk",
  "hfsplus",
]);
const ELSEWHERE = new Set(["btrfs", "zfs", "bcachefs", "f2fs", "nilfs2", "jffs2", "ubifs", "overlay", "aufs"]);
const IN_MEMORY = new Set(["tmpfs", "ramfs"]);
const REMOTE = /^(?:nfs4?|cifs|smb3|9p|afs|ceph|virtiofs|fuse\..*|fuse)$/;

/** Pure, but for the tables. */
export function mediumIn(tables: MediumTables): Medium {
  const { type, options, source, number, mountedAt } = mountOf(tables.mount);
  const lowest = devicesBelow(tables, number.startsWith("0:") ? tables.device(source) : number);
  const flag = (id: string, file: string): string | null => ofDevice(tables, id, file);
  const rotating = lowest.leaves.map((id) => flag(id, "queue/rotational"));
  const discards = lowest.leaves.some((id) => Number(flag(id, "queue/discard_max_bytes") ?? 0) > 0);
  return {
    type,
    writes: writesOf(type),
    journalsData: options.includes("data=journal") || isJournalling(tables, type, source),
    hasSnapshots: lowest.uuids.some((uuid) => /^LVM-.*-(?:real|tpool)$/.test(uuid)),
    rotates: rotatesBy(rotating, discards),
    discards,
    discardsItself: options.some((option) => /^discard(?:=|$)/.test(option)),
    isEncryptedBelow: lowest.uuids.some((uuid) => uuid.startsWith("CRYPT-")),
    mountedAt,
  };
}

function writesOf(type: string): Medium["writes"] {
  if (IN_PLACE.has(type)) return "in-place";
  if (ELSEWHERE.has(type)) return "elsewhere";
  if (IN_MEMORY.has(type)) return "in-memory";
  return REMOTE.test(type) ? "remote" : "unknown";
}

/**
 * One that says that it turns, and can be told what is not needed any more, is a virtual one, or writes its tracks over
 * one another: then nobody here knows.
 */
function rotatesBy(rotating: readonly (string | null)[], discards: boolean): boolean | null {
  if (rotating.length === 0 || rotating.includes(null)) return null;
  if (rotating.includes("0")) return false;
  return discards ? null : true;
}

/** Where the option is the file system's own default, the mount does not name it. */
function isJournalling({ read }: MediumTables, type: string, source: string): boolean {
  if (type !== "ext3" && type !== "ext4") return false;
  const name = source.slice(source.lastIndexOf("/") + 1);
  return /^data=journal$/m.test(read(`/proc/fs/${type}/${name}/options`) ?? "");
}

interface Mount {
  readonly number: string;
  readonly mountedAt: string;
  readonly type: string;
  readonly source: string;
  readonly options: readonly string[];
}

function mountOf(line: string): Mount {
  const [before = "", after = ""] = line.split(" - ");
  const [, , number = "", , mountedAt = "", own = ""] = before.split(" ");
  const [type = "", source = "", shared = ""] = after.split(" ");
  return {
    number,
    mountedAt: unescaped(mountedAt),
    type,
    source: unescaped(source),
    options: [...own.split(","), ...shared.split(",")],
  };
}

/** Source: getmntent(3): blanks and backslashes stand as three octal digits. */
function unescaped(text: string): string {
  return text.replace(/\\([0-7]{3})/g, (_, digits: string) => String.fromCharCode(Number.parseInt(digits, 8)));
}

/** The devices that are made of no others, and what the device mapper calls those on the way. */
function devicesBelow(
  tables: MediumTables,
  top: string | null,
): { readonly leaves: readonly string[]; readonly uuids: readonly string[] } {
  const [leaves, uuids, seen]: [string[], string[], Set<string>] = [[], [], new Set()];
  const waiting = top === null ? [] : [top];
  for (let id = waiting.shift(); id !== undefined; id = waiting.shift()) {
    if (seen.has(id)) continue;
    seen.add(id);
    const at = `/sys/dev/block/${id}`;
    const uuid = tables.read(`${at}/dm/uuid`);
    if (uuid !== null) uuids.push(uuid.trim());
    const below = tables.list(`${at}/slaves`).flatMap((name) => tables.read(`${at}/slaves/${name}/dev`)?.trim() ?? []);
    if (below.length === 0) leaves.push(id);
    waiting.push(...below);
  }
  return { leaves, uuids };
}

/** Of a partition, what its whole device says. */
function ofDevice({ read }: MediumTables, id: string, file: string): string | null {
  return (read(`/sys/dev/block/${id}/${file}`) ?? read(`/sys/dev/block/${id}/../${file}`))?.trim() ?? null;
}

const MOST_BYTES = 64 * 1024;

/** Of what an open directory lies on. */
export function mediumOf(handle: number): Medium {
  const read = (path: string): string | null => readPlanted(path, MOST_BYTES)?.toString("latin1") ?? null;
  const id = /^mnt_id:\s+(\d+)$/m.exec(read(`/proc/self/fdinfo/${handle}`) ?? "")?.[1] ?? "";
  // It comes in pieces of a page.
  const mounts = fs.readFileSync("/proc/self/mountinfo", "latin1").split("\n");
  return mediumIn({
    mount: mounts.find((line) => line.startsWith(`${id} `)) ?? "",
    device: (path) => {
      try {
        const { rdev } = fs.statSync(path);
        return rdev === 0 ? null : `${(rdev >> 8) & 0xfff}:${(rdev & 0xff) | ((rdev >> 12) & 0xfff00)}`;
      } catch {
        return null;
      }
    },
    read,
    list: (path) => {
      try {
        return fs.readdirSync(path);
      } catch {
        return [];
      }
    },
  });
}
