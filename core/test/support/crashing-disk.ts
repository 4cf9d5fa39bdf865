import type { Disk } from "../../src/platform/port";

/** Everything that changes the disk, and so everything a crash can come between. */
const CHANGES = new Set<keyof Disk>([
  "create",
  "write",
  "truncate",
  "syncFile",
  "syncDir",
  "barrier",
  "makeDir",
  "makeLink",
  "makeHardLink",
  "rename",
  "renameExclusive",
  "unlink",
  "removeDir",
  "setMode",
  "setOpenMode",
  "setOwner",
  "setTimes",
  "setXattr",
  "setLinkOwner",
  "setLinkTimes",
  "setLinkXattr",
]);
/** What the system does by itself when a process dies. */
const ALWAYS = new Set<keyof Disk>(["closeDir", "closeFile"]);

export type CrashMode = "before" | "after" | "torn";

export class Crash extends Error {}

export interface CrashingDisk {
  readonly disk: Disk;
  /** Changes counted so far. */
  count(): number;
  crashed(): boolean;
  /**
   * Between making or removing a directory and giving the one it lies in its time back: the only place where that gets
   * lost.
   */
  keptNoTime(): boolean;
}

/**
 * A disk whose process dies at the n-th change (from 0): before it, after it, or in the middle of a write. From then on
 * nothing works.
 */
export function crashingDisk(real: Disk, at: number, mode: CrashMode): CrashingDisk {
  let changes = 0;
  let dead = false;
  let isBeside = false;
  const die = (): never => {
    dead = true;
    throw new Crash(`crash at change ${at}, ${mode}`);
  };
  const disk = new Proxy(real, {
    get(target, name: keyof Disk) {
      const method: unknown = target[name];
      if (typeof method !== "function" || ALWAYS.has(name)) return method;
      return (...args: unknown[]): unknown => {
        if (dead) throw new Crash("the process is dead");
        const isHere = CHANGES.has(name) && changes++ === at;
        if (isHere) isBeside = mode === "before" ? name === "setTimes" : name === "makeDir" || name === "removeDir";
        if (isHere && mode === "before") die();
        if (isHere && mode === "torn" && name === "write") args[3] = Math.floor(Number(args[3]) / 2);
        try {
          return Reflect.apply(method, target, args);
        } finally {
          if (isHere) die();
        }
      };
    },
  });
  return { disk, count: () => changes, crashed: () => dead, keptNoTime: () => isBeside };
}

/** A disk that says it has so much room and no more: enough for the largest file, not for everything. */
export function crampedDisk(real: Disk, free: number): Disk {
  return new Proxy(real, {
    get: (target, name: keyof Disk) => (name === "freeBytes" ? (): number => free : target[name]),
  });
}

/** Everything that can fail by itself: the changes and the reads. Letting go of something does not. */
const FALLIBLE = new Set<keyof Disk>([
  ...CHANGES,
  "openRoot",
  "openDir",
  "list",
  "stat",
  "find",
  "statOpen",
  "openRead",
  "read",
  "readLink",
  "extents",
  "xattrs",
  "linkXattrs",
]);

/** A disk whose n-th call (from 0) fails with a system error: once, or each one from there on. */
export function failingDisk(
  real: Disk,
  at: number,
  code: string,
  isForGood = false,
): { readonly disk: Disk; failed(): string | null } {
  let calls = 0;
  let failed: string | null = null;
  const disk = new Proxy(real, {
    get(target, name: keyof Disk) {
      const method: unknown = target[name];
      if (typeof method !== "function" || !FALLIBLE.has(name)) return method;
      return (...args: unknown[]): unknown => {
        const call = calls++;
        if (call === at || (isForGood && call > at)) {
          failed ??= name;
          throw Object.assign(new Error(code), { code });
        }
        return Reflect.apply(method, target, args);
      };
    },
  });
  return { disk, failed: () => failed };
}

/**
 * A disk with places that it can't read any more: `isBad` says which bytes of which file, known by its inode number.
 */
export function wornDisk(real: Disk, isBad: (ino: bigint, from: number, until: number) => boolean): Disk {
  return new Proxy(real, {
    get(target, name: keyof Disk) {
      if (name !== "read") return target[name];
      return (...[file, into, offset, length, position]: Parameters<Disk["read"]>): number => {
        if (isBad(target.statOpen(file).ino, position, position + length))
          throw Object.assign(new Error("EIO: read"), { code: "EIO" });
        return target.read(file, into, offset, length, position);
      };
    },
  });
}

/** A disk on which somebody else does something just before the n-th call (from 0) of whatever kind. */
export function meddledDisk(
  real: Disk,
  at: number,
  meddle: () => void,
): { readonly disk: Disk; happened(): boolean; isOver(): boolean; during(): string } {
  let calls = 0;
  let happened = false;
  let during = "";
  const disk = new Proxy(real, {
    get(target, name: keyof Disk) {
      const method: unknown = target[name];
      if (typeof method !== "function") return method;
      return (...args: unknown[]): unknown => {
        if (calls++ === at) {
          during = name;
          try {
            meddle();
            happened = true;
          } catch {
            // What it wanted to change is not at its place any more.
          }
        }
        return Reflect.apply(method, target, args);
      };
    },
  });
  return { disk, happened: () => happened, isOver: () => calls <= at, during: () => during };
}
