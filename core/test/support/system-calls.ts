import * as fs from "node:fs";
import koffi from "koffi";

/**
 * A process lets another one look at each of its system calls that change the disk, before it is made, and decide: let
 * it through, fail it with an error number, or kill the process there. By a seccomp filter with a listener: no call is
 * skipped, and no thread. Linux on x86-64. Source: seccomp(2), seccomp_unotify(2).
 */
const libc = koffi.load(null);
const prctl = libc.func("int prctl(int, unsigned long, unsigned long, unsigned long, unsigned long)");
const seccomp = libc.func("long syscall(long, long, long, void*)");
const pidfd = libc.func("long syscall(long, long, long, long)");
const ioctl = libc.func("int ioctl(int, unsigned long, void*)");
const poll = libc.func("int poll(void*, unsigned long, int)");
const close = libc.func("int close(int)");

const openDirectory = libc.func("int open(const char*, int)");
/** Source: linux/fs.h; 2 writes nothing of the journal any more. */
const [FS_IOC_SHUTDOWN, WITHOUT_LOG] = [0x8004587d, 2];

/** The file system of this path gives up. */
export function shutDownAt(path: string): void {
  const directory = Number(openDirectory(path, 0));
  const flags = Buffer.alloc(4);
  flags.writeUInt32LE(WITHOUT_LOG, 0);
  const failed = Number(ioctl(directory, FS_IOC_SHUTDOWN, flags)) !== 0;
  close(directory);
  if (failed) throw new Error(`the file system did not shut down (${koffi.errno()})`);
}

const [PR_SET_NO_NEW_PRIVS, SYS_SECCOMP, SYS_PIDFD_OPEN, SYS_PIDFD_GETFD] = [38, 317, 434, 438];
const [SET_MODE_FILTER, NEW_LISTENER] = [1, 8];
const [NOTIF_RECV, NOTIF_SEND] = [0xc0502100, 0xc0182101];
const AUDIT_ARCH_X86_64 = 0xc000003e;
const [ALLOW, USER_NOTIF] = [0x7fff0000, 0x7fc00000];
const [CONTINUE, POLLIN] = [1, 1];
const [NOTIFICATION_BYTES, RESPONSE_BYTES] = [80, 24];
const O_CREAT = 0o100;

/**
 * By number on x86-64: what changes names, contents, permissions, owners, times and attributes, and what makes that
 * durable.
 */
const CHANGING = new Map(
  Object.entries({
    pwrite64: 18,
    fsync: 74,
    fdatasync: 75,
    truncate: 76,
    ftruncate: 77,
    rename: 82,
    mkdir: 83,
    rmdir: 84,
    link: 86,
    unlink: 87,
    symlink: 88,
    chmod: 90,
    fchmod: 91,
    chown: 92,
    fchown: 93,
    lchown: 94,
    setxattr: 188,
    lsetxattr: 189,
    fsetxattr: 190,
    removexattr: 197,
    lremovexattr: 198,
    fremovexattr: 199,
    mkdirat: 258,
    fchownat: 260,
    unlinkat: 263,
    renameat: 264,
    linkat: 265,
    symlinkat: 266,
    fchmodat: 268,
    utimensat: 280,
    fallocate: 285,
    syncfs: 306,
    renameat2: 316,
  }).map(([name, number]) => [number, name]),
);
const OPENAT = 257;

/** Whether this machine can do it. */
export const CAN_LISTEN =
  process.platform === "linux" && process.arch === "x64" && process.getuid?.() === 0 && hasListeners();

function hasListeners(): boolean {
  try {
    return fs.readFileSync("/proc/sys/kernel/seccomp/actions_avail", "latin1").includes("user_notif");
  } catch {
    return false;
  }
}

type Instruction = readonly [code: number, ifTrue: number, ifFalse: number, k: number];
const [LOAD, IF_EQUAL, IF_SET, RETURN] = [0x20, 0x15, 0x45, 0x06];

function program(): Buffer {
  const calls = [...CHANGING.keys()];
  const instructions: Instruction[] = [
    [LOAD, 0, 0, 4],
    [IF_EQUAL, 1, 0, AUDIT_ARCH_X86_64],
    [RETURN, 0, 0, ALLOW],
    [LOAD, 0, 0, 0],
    // A file that an opening makes.
    [IF_EQUAL, 0, 3, OPENAT],
    [LOAD, 0, 0, 32],
    [IF_SET, 0, calls.length + 1, O_CREAT],
    [RETURN, 0, 0, USER_NOTIF],
    ...calls.map((number, i): Instruction => [IF_EQUAL, calls.length - i, 0, number]),
    [RETURN, 0, 0, ALLOW],
    [RETURN, 0, 0, USER_NOTIF],
  ];
  const bytes = Buffer.alloc(8 * instructions.length);
  instructions.forEach(([code, ifTrue, ifFalse, k], i) => {
    bytes.writeUInt16LE(code, 8 * i);
    bytes.writeUInt8(ifTrue, 8 * i + 2);
    bytes.writeUInt8(ifFalse, 8 * i + 3);
    bytes.writeUInt32LE(k >>> 0, 8 * i + 4);
  });
  return bytes;
}

/** From now on somebody has to look at this process's changes. Returns the descriptor by which. */
export function beWatched(): number {
  const code = program();
  const head = Buffer.alloc(16);
  head.writeUInt16LE(code.length / 8, 0);
  head.writeBigUInt64LE(BigInt(koffi.address(code)), 8);
  if (prctl(PR_SET_NO_NEW_PRIVS, 1, 0, 0, 0) !== 0) throw new Error("no_new_privs was refused");
  const listener = Number(seccomp(SYS_SECCOMP, SET_MODE_FILTER, NEW_LISTENER, head));
  if (listener < 0) throw new Error(`seccomp was refused (${koffi.errno()})`);
  return listener;
}

const truncate = libc.func("int ftruncate(int, long)");
const FTRUNCATE = 77;

/**
 * What the process does from now on is not its work any more, and nobody's to fail: Node, when it ends, waits for ever
 * for some of its own calls.
 */
export function endWork(): void {
  truncate(-1, 0);
}

export type Verdict = "through" | "kill" | { readonly errno: number };

/**
 * Looks at each change of a process that is watched, until it ends or is killed; blocks meanwhile.
 * @param decide with the call's name, how many there were before it, and its first argument: of most the descriptor
 */
export function watch(
  pid: number,
  its: number,
  decide: (call: string, before: number, descriptor: number) => Verdict,
): void {
  const process_ = Number(pidfd(SYS_PIDFD_OPEN, pid, 0, 0));
  const listener = Number(pidfd(SYS_PIDFD_GETFD, process_, its, 0));
  close(process_);
  if (listener < 0) throw new Error(`the listener was not given (${koffi.errno()})`);
  try {
    let isWork = true;
    for (let before = 0; ; before++) {
      const call = next(listener);
      if (!call) return;
      if (call.endsWork) isWork = false;
      const verdict = isWork ? decide(call.name, before, call.descriptor) : "through";
      if (verdict === "kill") return void process.kill(pid, "SIGKILL");
      answer(listener, call.id, verdict);
    }
  } finally {
    close(listener);
  }
}

interface Call {
  readonly id: bigint;
  readonly name: string;
  readonly descriptor: number;
  readonly endsWork: boolean;
}

function next(listener: number): Call | null {
  const asked = Buffer.alloc(8);
  asked.writeInt32LE(listener, 0);
  asked.writeInt16LE(POLLIN, 4);
  const ready = Number(poll(asked, 1, 60_000));
  if (ready === 0) throw new Error("the process did nothing for a minute");
  if ((asked.readInt16LE(6) & POLLIN) === 0) return null;
  const notification = Buffer.alloc(NOTIFICATION_BYTES);
  if (Number(ioctl(listener, NOTIF_RECV, notification)) !== 0) return null;
  const number = notification.readInt32LE(16);
  const descriptor = notification.readInt32LE(32);
  return {
    id: notification.readBigUInt64LE(0),
    name: number === OPENAT ? "openat (to make a file)" : (CHANGING.get(number) ?? String(number)),
    descriptor,
    endsWork: number === FTRUNCATE && descriptor === -1,
  };
}

function answer(listener: number, id: bigint, verdict: Exclude<Verdict, "kill">): void {
  const response = Buffer.alloc(RESPONSE_BYTES);
  response.writeBigUInt64LE(id, 0);
  if (verdict === "through") response.writeUInt32LE(CONTINUE, 20);
  else response.writeInt32LE(-verdict.errno, 16);
  ioctl(listener, NOTIF_SEND, response);
}
