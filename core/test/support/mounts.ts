import { spawnSync } from "node:child_process";
import * as fs from "node:fs";
import * as path from "node:path";
import { shutDownAt } from "./system-calls";
import { newDirectory, removeDirectory } from "./world";

function run(program: string, ...args: readonly string[]): string {
  const { status, stdout, stderr, error } = spawnSync(program, args, { encoding: "utf8" });
  if (status !== 0) throw new Error(`${program} ${args.join(" ")}: ${error?.message ?? stderr}`);
  return stdout.trim();
}

/** Loop devices and FUSE, for whoever may use them: a machine of its own, run as root. */
export const CAN_MOUNT =
  process.getuid?.() === 0 && spawnSync("losetup", ["-f"]).status === 0 && fs.existsSync("/dev/fuse");

const FILE_SYSTEMS = {
  ext4: { make: ["mkfs.ext4", "-q", "-F"], mount: (device: string, at: string) => run("mount", device, at) },
  "ext4-data-journal": {
    make: ["mkfs.ext4", "-q", "-F"],
    mount: (device: string, at: string) => run("mount", "-o", "data=journal", device, at),
  },
  xfs: { make: ["mkfs.xfs", "-q", "-f"], mount: (device: string, at: string) => run("mount", device, at) },
  btrfs: { make: ["mkfs.btrfs", "-q", "-f"], mount: (device: string, at: string) => run("mount", device, at) },
  exfat: { make: ["mkfs.exfat"], mount: (device: string, at: string) => run("mount.exfat-fuse", device, at) },
  ntfs: { make: ["mkntfs", "-F", "-Q", "-q"], mount: (device: string, at: string) => run("ntfs-3g", device, at) },
} as const;
export type FileSystem = keyof typeof FILE_SYSTEMS;

/** A tmpfs that can be made to run full. Needs root. */
export class Backing {
  readonly at = newDirectory();

  constructor(megabytes: number) {
    run("mount", "-t", "tmpfs", "-o", `size=${megabytes}m`, "tmpfs", this.at);
  }

  /** Leaves so much room from now on. */
  leave(kilobytes: number): void {
    const { blocks, bfree, bsize } = fs.statfsSync(this.at);
    run("mount", "-o", `remount,size=${Math.ceil(((blocks - bfree) * bsize) / 1024) + kilobytes}k`, this.at);
  }

  remove(): void {
    run("umount", this.at);
    removeDirectory(this.at);
  }
}

/**
 * A layered file system: what lay in the lower layer before shows through, and is copied to the upper one when it is
 * changed. Needs root.
 */
export class Overlay {
  private readonly base = newDirectory();
  private readonly lower: string;
  readonly at: string;

  constructor(lowerOn: "same" | "other", fill: (lower: string) => void) {
    const [upper, work] = ["upper", "work"].map((name) => path.join(this.base, name));
    this.lower = path.join(this.base, "lower");
    this.at = path.join(this.base, "merged");
    for (const directory of [upper, work, this.lower, this.at]) fs.mkdirSync(directory ?? "");
    if (lowerOn === "other") run("mount", "-t", "tmpfs", "tmpfs", this.lower);
    fill(this.lower);
    run("mount", "-t", "overlay", "-o", `lowerdir=${this.lower},upperdir=${upper},workdir=${work}`, "overlay", this.at);
  }

  remove(): void {
    for (const at of [this.at, this.lower]) spawnSync("umount", ["-l", at]);
    removeDirectory(this.base);
  }
}

/** A real drive: an image in a file, a loop device, mounted. Needs root. */
export class Drive {
  private readonly base: string;
  /** Where it is mounted. */
  at: string;
  device: string;
  private readonly image: string;

  constructor(
    readonly kind: FileSystem,
    megabytes = 64,
    imageIn?: string,
  ) {
    this.base = newDirectory();
    this.at = path.join(this.base, "drive");
    this.image = path.join(imageIn ?? this.base, "image");
    fs.closeSync(fs.openSync(this.image, "w"));
    fs.truncateSync(this.image, megabytes * 1024 * 1024);
    this.device = run("losetup", "-f", "--show", this.image);
    const [program, ...args] = FILE_SYSTEMS[kind].make;
    run(program, ...args, this.device);
    this.plugIn();
  }

  plugIn(name = "drive"): void {
    this.at = path.join(this.base, name);
    fs.mkdirSync(this.at, { recursive: true });
    FILE_SYSTEMS[this.kind].mount(this.device, this.at);
  }

  /** Pulled out while something may still be using it. */
  pullOut(): void {
    run("umount", "-l", this.at);
  }

  /** What the device holds at this moment, as after a power cut: what was not written to it yet is missing. */
  copyImage(to: string): void {
    run("cp", "--sparse=always", this.image, to);
  }

  /**
   * The file system gives up from now on, as when its disk is gone: what was not durable is lost, and every call fails
   * until it is mounted anew. Source: ioctl_fs(2), FS_IOC_SHUTDOWN.
   */
  shutDown(): void {
    shutDownAt(this.at);
  }

  /** How often bytes stand on the device, wherever, when everything was written to it. */
  countRaw(bytes: Buffer): number {
    run("umount", this.at);
    const image = fs.readFileSync(this.image);
    FILE_SYSTEMS[this.kind].mount(this.device, this.at);
    let count = 0;
    for (let found = image.indexOf(bytes); found >= 0; found = image.indexOf(bytes, found + bytes.length)) count++;
    return count;
  }

  /** Another image in the place of this drive, at the same path. */
  insert(image: string): void {
    run("umount", this.at);
    run("losetup", "-d", this.device);
    this.device = run("losetup", "-f", "--show", image);
    FILE_SYSTEMS[this.kind].mount(this.device, this.at);
  }

  /** Taken out, if it is still there and nothing holds it any more, and plugged in again at another path. */
  replug(name: string): void {
    if (fs.readFileSync("/proc/mounts", "utf8").includes(` ${this.at} `)) run("umount", this.at);
    this.plugIn(name);
  }

  /** Its little switch. */
  protect(on: boolean): void {
    run("mount", "-o", `remount,${on ? "ro" : "rw"}`, this.at);
  }

  /** As the system does by itself when the drive reports errors: from now on nothing can be written. */
  turnReadOnly(): void {
    run("mount", "-o", "remount,abort", this.at);
  }

  remove(): void {
    spawnSync("umount", ["-l", this.at]);
    spawnSync("losetup", ["-d", this.device]);
    removeDirectory(this.base);
  }
}
