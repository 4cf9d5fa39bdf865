import koffi from "koffi";

const libc = koffi.load(null);
const prctlRaw = libc.func("int prctl(int, unsigned long, unsigned long, unsigned long, unsigned long)") as (
  option: number,
  value: number,
  c: number,
  d: number,
  e: number,
) => number;
const PR_SET_DUMPABLE = 4;

/**
 * No other program of this account may read this process's memory, and a crash leaves no copy of it on the disk; an
 * administrator still may. Programs that it starts are as usual. Source: PR_SET_DUMPABLE, prctl(2). Returns whether the
 * system did it.
 */
export function closeMemory(): boolean {
  return prctlRaw(PR_SET_DUMPABLE, 0, 0, 0, 0) === 0;
}
