import type { Disk } from "../src/platform/port";

/** Everything that changes the disk, and so everything a crash can come between. */
const CHANGES = new Set<keyof Disk>([
  "create", "write", "truncate", "syncFile", "syncDir", "barrier", "makeDir", "makeLink", "makeHardLink", "rename", "renameExclusive", "unlink", "removeDir",
  "setMode", "setFileMode", "setOwner", "setTimes", "setDirTimes", "setXattr",
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
}

/** A disk whose process dies at the n-th change (from 0): before it, after it, or in the middle of a write. From then on nothing works. */
export function crashingDisk(real: Disk, at: number, mode: CrashMode): CrashingDisk {
  let changes = 0;
  let dead = false;
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
        if (isHere && mode === "before") die();
        if (isHere && mode === "torn" && name === "write") args[3] = Math.floor(Number(args[3]) / 2);
        const result: unknown = Reflect.apply(method, target, args);
        if (isHere) die();
        return result;
      };
    },
  });
  return { disk, count: () => changes, crashed: () => dead };
}
