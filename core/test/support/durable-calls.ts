import type { Dir, Disk, OpenFile } from "../../src/platform/port";

/** What makes something durable. */
export const DURABLE_CALLS = {
  syncFile: (disk: Disk, _dir: Dir, file: OpenFile) => disk.syncFile(file),
  syncDir: (disk: Disk, dir: Dir) => disk.syncDir(dir),
  barrier: (disk: Disk, dir: Dir) => disk.barrier(dir),
} as const;

export type DurableCall = keyof typeof DURABLE_CALLS;

export function isDurableCall(call: string): call is DurableCall {
  return call in DURABLE_CALLS;
}

/** What such a call has made durable: a file's content, a directory's entries, all there is. */
export type MadeDurable = "content" | "entries" | "everything" | "nothing";
