import * as fs from "node:fs";
import * as path from "node:path";
import type { Holder } from "../port";

const WRITE_FLAGS = 0o3;

/**
 * Programs of this account that hold the file at a path, or something below it, open, read from /proc. Other accounts'
 * programs are invisible to an ordinary account; the kernel shows them to root only.
 */
export function findHolders(at: Buffer): Holder[] {
  const itself = at.toString("latin1");
  const prefix = `${itself}/`;
  const isFile = fs.lstatSync(at, { throwIfNoEntry: false })?.isFile() ?? false;
  const isIn = (target: string): boolean => target.startsWith(prefix) || (isFile && target === itself);
  const holders: Holder[] = [];
  for (const entry of fs.readdirSync("/proc")) {
    const pid = Number(entry);
    if (!Number.isInteger(pid) || pid === process.pid) continue;
    const held = heldBy(pid, isIn);
    if (held.paths.length > 0) holders.push({ pid, program: programName(pid), isStopped: isStopped(pid), ...held });
  }
  return holders;
}

/** By the name that the kernel knows each by (15 bytes at most), of this account's. Source: proc(5). */
export function runningPrograms(): string[] {
  const own = process.geteuid?.();
  return fs.readdirSync("/proc").flatMap((entry) => {
    if (!/^\d+$/.test(entry)) return [];
    try {
      if (fs.statSync(`/proc/${entry}`).uid !== own) return [];
      return [fs.readFileSync(`/proc/${entry}/comm`, "utf8").trim()];
    } catch {
      return [];
    }
  });
}

/** Other accounts' settings can't be read. Source: proc(5), environ. */
export function runsWith(setting: string): boolean {
  const sought = Buffer.from(`\0${setting}\0`);
  return fs.readdirSync("/proc").some((entry) => {
    if (!/^\d+$/.test(entry)) return false;
    try {
      const settings = fs.readFileSync(`/proc/${entry}/environ`);
      return Buffer.concat([Buffer.alloc(1), settings]).includes(sought) && !isGone(Number(entry));
    } catch {
      return false;
    }
  });
}

/** It ended, and nobody has asked how yet. */
function isGone(pid: number): boolean {
  return /\) Z /.test(fs.readFileSync(`/proc/${pid}/stat`, "latin1"));
}

function heldBy(pid: number, isIn: (target: string) => boolean): { paths: string[]; writes: boolean } {
  const paths: string[] = [];
  let writes = false;
  for (const fd of namesIn(`/proc/${pid}/fd`)) {
    const target = linkTarget(`/proc/${pid}/fd/${fd}`);
    if (target === null || !isIn(target)) continue;
    paths.push(Buffer.from(target, "latin1").toString("utf8"));
    writes ||= isOpenForWriting(pid, fd);
  }
  return { paths, writes };
}

function namesIn(directory: string): string[] {
  try {
    return fs.readdirSync(directory);
  } catch {
    return [];
  }
}

function linkTarget(path: string): string | null {
  try {
    return fs.readlinkSync(path, { encoding: "buffer" }).toString("latin1");
  } catch {
    return null;
  }
}

function isOpenForWriting(pid: number, fd: string): boolean {
  try {
    const match = /^flags:\s+([0-7]+)/m.exec(fs.readFileSync(`/proc/${pid}/fdinfo/${fd}`, "latin1"));
    return match?.[1] !== undefined && (Number.parseInt(match[1], 8) & WRITE_FLAGS) !== 0;
  } catch {
    return false;
  }
}

/** Source: proc(5), the state behind the name. */
function isStopped(pid: number): boolean {
  try {
    return /\) [Tt] /.test(fs.readFileSync(`/proc/${pid}/stat`, "latin1"));
  } catch {
    return false;
  }
}

/** Of what an interpreter runs, the script's name. */
function programName(pid: number): string {
  try {
    const [interpreter = "", script = ""] = fs.readFileSync(`/proc/${pid}/cmdline`, "utf8").split("\0");
    if (path.basename(interpreter) === "node" && /^[^-].*\.[cm]?js$/.test(script)) return path.parse(script).name;
    return fs.readFileSync(`/proc/${pid}/comm`, "utf8").trim();
  } catch {
    return `process ${pid}`;
  }
}
