import * as fs from "node:fs";
import {
  type Dir,
  type Disk,
  type EremosError,
  type Inspection,
  type KeptHead,
  type LookRequest,
  type Looked,
  busyWith,
  inspectFolder,
  keptTracesIn,
  lookAtFolder,
  mediumAt,
  ownDirPlace,
  protectedAbove,
  splitPath,
  systemCode,
} from "@eremos/core";
import { type Mounts, isDrive } from "./mounts";
import { type SlotKnown, isSlotAt } from "./walks";

/**
 * Short looks at one place each, by this very process: for what somebody waits for, and lies on a disk that answers.
 * Nothing here walks, writes, or reads contents; what does runs aside.
 */
export class Glance {
  constructor(private readonly disk: Disk) {}

  /** All of these, where nobody else waits. */
  folders({ folders, mounts }: LookRequest): readonly Looked[] {
    return folders.map((folder) => lookAtFolder(this.disk, folder, mounts));
  }

  /** What stands there, where it is protected. @throws EremosError as the core's own */
  inspect(path: Buffer): Inspection | null {
    return inspectFolder(this.disk, path);
  }

  /** The protected folder in which it lies. */
  protectedAbove(path: Buffer): Buffer | null {
    return protectedAbove(this.disk, path);
  }

  /** What stands there, a link as itself; null: nothing. @throws system errors */
  kindAt(path: Buffer | string): "dir" | "file" | "other" | null {
    const stat = fs.lstatSync(path, { throwIfNoEntry: false });
    if (!stat) return null;
    return stat.isDirectory() ? "dir" : stat.isFile() ? "file" : "other";
  }

  /** Whether anything can be seen there. */
  isThere(path: Buffer | string): boolean {
    return fs.existsSync(path);
  }

  /** Which file it is on its disk; null: none that can be seen. */
  fileMark(path: Buffer): { readonly dev: bigint; readonly ino: bigint } | null {
    const { parent, name } = splitPath(path);
    return this.inDirectory(parent, (dir) => this.disk.find(dir, name));
  }

  /** Which directory it is, by what no other on its disk can be; null: none that can be seen. */
  directoryMark(path: Buffer): string | null {
    return this.inDirectory(path, (dir) => {
      const { ino, bornNs } = this.disk.statOpen(dir);
      return `${ino}:${bornNs}`;
    });
  }

  private inDirectory<T>(path: Buffer, use: (dir: Dir) => T): T | null {
    try {
      const dir = this.disk.openRoot(path);
      try {
        return use(dir);
      } finally {
        this.disk.closeDir(dir);
      }
    } catch (error) {
      if (systemCode(error) === undefined) throw error;
      return null;
    }
  }

  /** By which a folder's own directory is known again; null: by nothing that lasts. */
  ownDirPlace(path: Buffer): string | null {
    return ownDirPlace(this.disk, path);
  }

  /** Whether a folder stands there locked in view, and is the one that is known. */
  isSlot(path: string, known: SlotKnown): boolean {
    return isSlotAt(this.disk, path, known);
  }

  isDrive(mounts: Mounts, path: Buffer): boolean {
    return isDrive(this.disk, mounts, path);
  }

  /** What it lies on. @throws EremosError `not-found`, `io` */
  medium(path: Buffer): ReturnType<typeof mediumAt> {
    return mediumAt(this.disk, path);
  }

  /** Who works on it. */
  busyWith(path: Buffer): EremosError {
    return busyWith(this.disk, path);
  }

  /** What was cleared and is kept, in Eremos' own data, the newest first. */
  keptTraces(directory: Buffer): readonly KeptHead[] {
    return keptTracesIn(this.disk, directory);
  }
}
