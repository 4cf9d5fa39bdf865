import * as fs from "node:fs";

/** A process and everything it started. */
export function withDescendants(pid: number): number[] {
  const children = fs
    .readdirSync("/proc")
    .filter((name) => /^\d+$/.test(name))
    .filter((name) => parentOf(name) === pid);
  return [pid, ...children.flatMap((child) => withDescendants(Number(child)))];
}

function parentOf(pid: string): number | null {
  try {
    // The program's name, in brackets, may hold anything; what follows it does not.
    return Number(fs.readFileSync(`/proc/${pid}/stat`, "latin1").split(") ").at(-1)?.split(" ")[1]);
  } catch {
    return null;
  }
}

const AT_ONCE = 8 * 1024 * 1024;

/** How often each of some bytes stands in a process's memory, as an administrator reads it. */
export function countInMemory(pid: number, wanted: Readonly<Record<string, Buffer>>): Record<string, number> {
  const counts = Object.fromEntries(Object.keys(wanted).map((name) => [name, 0]));
  const overlap = Math.max(...Object.values(wanted).map(({ length }) => length)) - 1;
  const memory = fs.openSync(`/proc/${pid}/mem`, "r");
  try {
    for (const line of fs.readFileSync(`/proc/${pid}/maps`, "latin1").split("\n")) {
      const [, from, to] = /^([0-9a-f]+)-([0-9a-f]+) r/.exec(line) ?? [];
      if (from === undefined || to === undefined || line.endsWith("[vsyscall]")) continue;
      const end = Number.parseInt(to, 16);
      for (let at = Number.parseInt(from, 16); at < end; at += AT_ONCE) {
        const length = Math.min(AT_ONCE + overlap, end - at);
        const piece = readAt(memory, at, length);
        for (const [name, bytes] of Object.entries(wanted))
          counts[name] = (counts[name] ?? 0) + occurrences(piece, bytes, AT_ONCE);
      }
    }
  } finally {
    fs.closeSync(memory);
  }
  return counts;
}

function readAt(file: number, position: number, length: number): Buffer {
  const piece = Buffer.alloc(length);
  try {
    return piece.subarray(0, fs.readSync(file, piece, 0, length, position));
  } catch {
    // Pages that are kept aside, or of devices.
    return Buffer.alloc(0);
  }
}

function occurrences(piece: Buffer, bytes: Buffer, before: number): number {
  let count = 0;
  for (let at = piece.indexOf(bytes); at >= 0 && at < before; at = piece.indexOf(bytes, at + 1)) count++;
  return count;
}
