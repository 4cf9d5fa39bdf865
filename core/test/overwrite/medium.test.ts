import * as fs from "node:fs";
import { describe, expect, it } from "vitest";
import { type MediumTables, mediumIn } from "../../src/platform/linux/medium";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import { within } from "../../src/engine/ground";
import { whatOverwritingReaches } from "../../src/overwrite";

/** Tables as the system writes them, recorded or made by its documentation for what this machine has not. */
function tables(mount: string, files: Readonly<Record<string, string>> = {}): MediumTables {
  return {
    mount,
    device: (path) => files[path] ?? null,
    read: (path) => files[path] ?? null,
    list: (path) => [
      ...new Set(
        Object.keys(files).flatMap((file) =>
          file.startsWith(`${path}/`) ? [file.slice(path.length + 1).split("/")[0] ?? ""] : [],
        ),
      ),
    ],
  };
}

const DISK = {
  "/sys/dev/block/8:1/../queue/rotational": "1\n",
  "/sys/dev/block/8:1/../queue/discard_max_bytes": "0\n",
};
const FLASH = {
  "/sys/dev/block/259:2/../queue/rotational": "0\n",
  "/sys/dev/block/259:2/../queue/discard_max_bytes": "2199023255040\n",
};
const ENCRYPTED = {
  "/sys/dev/block/254:1/dm/uuid": "LVM-JpO9aGeX1qZ0\n",
  "/sys/dev/block/254:1/slaves/dm-0/dev": "254:0\n",
  "/sys/dev/block/254:0/dm/uuid": "CRYPT-LUKS2-6b1f-disk\n",
  "/sys/dev/block/254:0/slaves/nvme0n1p2/dev": "259:2\n",
  ...FLASH,
};
const SNAPSHOT = {
  "/sys/dev/block/254:3/dm/uuid": "LVM-JpO9aGeX1qZ0\n",
  "/sys/dev/block/254:3/slaves/dm-4/dev": "254:4\n",
  "/sys/dev/block/254:4/dm/uuid": "LVM-JpO9aGeX1qZ0-real\n",
  "/sys/dev/block/254:4/slaves/sda1/dev": "8:1\n",
  ...DISK,
};

describe("What overwriting reaches, by the system's tables", () => {
  it.each([
    ["ext4 on a turning disk", "26 1 8:1 / / rw - ext4 /dev/sda1 rw", DISK, "reached", [], []],
    [
      "ext4 on flash",
      "26 1 259:2 / / rw - ext4 /dev/nvme0n1p2 rw",
      FLASH,
      "drive-may-keep",
      ["drive-remaps"],
      ["never-readable", "discard-command", "encrypt-disk"],
    ],
    [
      "ext4 on flash with discard",
      "26 1 259:2 / / rw - ext4 /dev/nvme0n1p2 rw,discard",
      FLASH,
      "drive-may-keep",
      ["drive-remaps"],
      ["never-readable", "discards-itself", "encrypt-disk"],
    ],
    [
      "ext4 on an encrypted volume on flash",
      "26 1 254:1 / / rw - ext4 /dev/mapper/root rw",
      ENCRYPTED,
      "drive-may-keep",
      ["drive-remaps"],
      ["never-readable", "discard-command", "encrypted-below"],
    ],
    [
      "ext4 on a drive that says that it turns, and takes discards: a virtual one, or with tracks that overlap",
      "26 1 8:1 / / rw - ext4 /dev/vda1 rw,discard",
      { ...DISK, "/sys/dev/block/8:1/../queue/discard_max_bytes": "1048576\n" },
      "drive-may-keep",
      ["drive-unknown"],
      ["never-readable", "discards-itself", "encrypt-disk"],
    ],
    [
      "ext4 with a data journal by its mount",
      "26 1 8:1 / / rw - ext4 /dev/sda1 rw,data=journal",
      DISK,
      "stay",
      ["journal"],
      ["never-readable", "encrypt-disk"],
    ],
    [
      "ext4 with a data journal by its own default",
      "26 1 8:1 / / rw - ext4 /dev/sda1 rw",
      { ...DISK, "/proc/fs/ext4/sda1/options": "rw\ndata=journal\n" },
      "stay",
      ["journal"],
      ["never-readable", "encrypt-disk"],
    ],
    [
      "xfs on a volume that has a snapshot",
      "26 1 254:3 / /data rw - xfs /dev/mapper/data rw",
      SNAPSHOT,
      "stay",
      ["snapshots"],
      ["never-readable", "encrypt-disk"],
    ],
    [
      "btrfs, by its device file",
      "26 1 0:41 /@home /home rw - btrfs /dev/sda1 rw,discard=async",
      { ...DISK, "/dev/sda1": "8:1" },
      "stay",
      ["written-elsewhere"],
      ["never-readable", "discards-itself", "encrypt-disk"],
    ],
    [
      "f2fs on flash",
      "26 1 259:2 / / rw - f2fs /dev/nvme0n1p2 rw",
      FLASH,
      "stay",
      ["written-elsewhere", "drive-remaps"],
      ["never-readable", "discard-command", "encrypt-disk"],
    ],
    [
      "exFAT by a program on a turning disk",
      "26 1 8:1 / /media/stick rw - fuseblk /dev/sda1 rw",
      DISK,
      "reached",
      [],
      [],
    ],
    [
      "a share of another computer",
      "26 1 0:52 / /srv rw - nfs4 server:/srv rw",
      {},
      "unknown",
      ["remote"],
      ["never-readable"],
    ],
    [
      "a program's own file system",
      "26 1 0:53 / /mnt rw - fuse.sshfs me@there: rw",
      {},
      "unknown",
      ["remote"],
      ["never-readable"],
    ],
    [
      "one that nobody here knows",
      "26 1 8:1 / /x rw - newfs /dev/sda1 rw",
      DISK,
      "unknown",
      ["unknown-file-system"],
      ["never-readable", "encrypt-disk"],
    ],
    ["memory", "26 1 0:30 / /dev/shm rw - tmpfs tmpfs rw", {}, "on-no-disk", ["in-memory"], []],
    ["no line at all", "", {}, "unknown", ["unknown-file-system", "drive-unknown"], ["never-readable", "encrypt-disk"]],
  ] as const)("%s", (_, mount, files, contents, because, helps) => {
    expect(whatOverwritingReaches(mediumIn(tables(mount, files)))).toMatchObject({ contents, because, helps });
  });

  it("where it is mounted is told without the system's escapes", () => {
    expect(mediumIn(tables("26 1 8:1 / /media/Red\\040stick rw - vfat /dev/sda1 rw", DISK)).mountedAt).toBe(
      "/media/Red stick",
    );
  });

  it("this machine's own temporary directory and memory are told as what they are", () => {
    const typeAt = (at: string): string =>
      within(linuxDisk, linuxDisk.openRoot(Buffer.from(at)), (dir) => linuxDisk.medium(dir).type);
    const types = new Map(
      fs
        .readFileSync("/proc/mounts", "utf8")
        .split("\n")
        .map((line) => [line.split(" ")[1], line.split(" ")[2]]),
    );
    expect(typeAt("/dev/shm")).toBe(types.get("/dev/shm"));
    expect(typeAt("/")).toBe(types.get("/"));
  });
});
