import koffi from "koffi";

/** The calls of libc that Node lacks. All take paths as bytes with a terminating zero. Linux, glibc or musl. */
const libc = koffi.load(null);

const renameat2Raw = libc.func("int renameat2(int, const void *, int, const void *, unsigned int)");
const utimensatRaw = libc.func("int utimensat(int, const void *, const void *, int)");
const llistxattrRaw = libc.func("int64_t llistxattr(const void *, void *, size_t)");
const lgetxattrRaw = libc.func("int64_t lgetxattr(const void *, const void *, void *, size_t)");
const lsetxattrRaw = libc.func("int lsetxattr(const void *, const void *, const void *, size_t, int)");
const lseekRaw = libc.func("int64_t lseek(int, int64_t, int)");
const syncfsRaw = libc.func("int syncfs(int)");
const flockRaw = libc.func("int flock(int, int)");

const AT_FDCWD = -100;
const AT_SYMLINK_NOFOLLOW = 0x100;
const RENAME_NOREPLACE = 1;
const SEEK_DATA = 3;
const SEEK_HOLE = 4;
const LOCK_EXCLUSIVE_NOW = 2 | 4;
const BILLION = 1_000_000_000n;

const NAMES = new Map(Object.entries(koffi.os.errno).map(([name, number]) => [number, name]));

function fail(call: string): never {
  const number = koffi.errno();
  const code = NAMES.get(number) ?? `E${number}`;
  throw Object.assign(new Error(`${code}: ${call}`), { code, errno: -number, syscall: call });
}

function cString(bytes: Buffer): Buffer {
  const text = Buffer.allocUnsafe(bytes.length + 1);
  bytes.copy(text);
  text[bytes.length] = 0;
  return text;
}

export function renameNoReplace(from: Buffer, to: Buffer): void {
  if (renameat2Raw(AT_FDCWD, cString(from), AT_FDCWD, cString(to), RENAME_NOREPLACE) !== 0) fail("renameat2");
}

/** Two `struct timespec` (64-bit): seconds, nanoseconds. */
function timespecs(...times: readonly bigint[]): Buffer {
  const bytes = Buffer.alloc(16 * times.length);
  for (const [i, ns] of times.entries()) {
    const nanoseconds = ((ns % BILLION) + BILLION) % BILLION;
    bytes.writeBigInt64LE((ns - nanoseconds) / BILLION, 16 * i);
    bytes.writeBigInt64LE(nanoseconds, 16 * i + 8);
  }
  return bytes;
}

export function setTimesNs(path: Buffer, atimeNs: bigint, mtimeNs: bigint): void {
  if (utimensatRaw(AT_FDCWD, cString(path), timespecs(atimeNs, mtimeNs), AT_SYMLINK_NOFOLLOW) !== 0) fail("utimensat");
}

const NAME_LIST = Buffer.alloc(64 * 1024);
const VALUE = Buffer.alloc(64 * 1024);

/** Extended attributes of the entry itself (links not followed); none where the file system has none. */
export function readXattrs(path: Buffer): { name: Buffer; value: Buffer }[] {
  const at = cString(path);
  const listed = Number(llistxattrRaw(at, NAME_LIST, NAME_LIST.length));
  if (listed < 0) return isUnsupported() ? [] : fail("llistxattr");
  const found: { name: Buffer; value: Buffer }[] = [];
  for (let start = 0; start < listed; ) {
    const end = NAME_LIST.indexOf(0, start);
    const name = Buffer.from(NAME_LIST.subarray(start, end));
    start = end + 1;
    const length = Number(lgetxattrRaw(at, cString(name), VALUE, VALUE.length));
    if (length < 0) {
      if (isUnsupported()) continue;
      fail("lgetxattr");
    }
    found.push({ name, value: Buffer.from(VALUE.subarray(0, length)) });
  }
  return found;
}

function isUnsupported(): boolean {
  const number = koffi.errno();
  const code = NAMES.get(number);
  return code === "ENOTSUP" || code === "EOPNOTSUPP" || code === "ENODATA" || code === "EPERM" || code === "EACCES" || number === 61 || number === 95;
}

export function writeXattr(path: Buffer, name: Buffer, value: Buffer): void {
  if (lsetxattrRaw(cString(path), cString(name), value, value.length, 0) !== 0) fail("lsetxattr");
}

/** The next offset with data (or hole) at or after `from`; -1 when there is none; null where unsupported. */
export function seek(fd: number, from: number, what: "data" | "hole"): number | null {
  const at = Number(lseekRaw(fd, from, what === "data" ? SEEK_DATA : SEEK_HOLE));
  if (at >= 0) return at;
  return NAMES.get(koffi.errno()) === "ENXIO" ? -1 : null;
}

export function syncFileSystem(fd: number): void {
  if (syncfsRaw(fd) !== 0) fail("syncfs");
}

/** Whether the lock was taken. */
export function lockExclusively(fd: number): boolean {
  return flockRaw(fd, LOCK_EXCLUSIVE_NOW) === 0;
}
