import { constants } from "node:os";
import koffi from "koffi";

const libc = koffi.load(null);
type Call = (...args: (number | Buffer)[]) => number;
const socketRaw: Call = libc.func("int socket(int, int, int)");
const setsockoptRaw: Call = libc.func("int setsockopt(int, int, int, const void *, unsigned int)");
const bindRaw: Call = libc.func("int bind(int, const void *, unsigned int)");
const getsocknameRaw: Call = libc.func("int getsockname(int, void *, void *)");
const closeRaw: Call = libc.func("int close(int)");

const AF_INET = 2;
const AF_INET6 = 10;
const SOCK_STREAM_CLOEXEC = 1 | 0o2000000;
const SOL_SOCKET = 1;
const SO_REUSEPORT = 15;
const IPPROTO_IPV6 = 41;
const IPV6_V6ONLY = 26;
const { EADDRINUSE, EACCES, EADDRNOTAVAIL, EAFNOSUPPORT } = constants.errno;

export const LOOPBACKS = ["127.0.0.1", "::1"] as const;
type Loopback = (typeof LOOPBACKS)[number];

/**
 * A port of a loopback address that no other account of this computer can take, as long as one of this account's
 * processes has it like this. Not listened at yet.
 */
export interface HeldPort {
  /** To be listened at, by whoever closes it then; or to be closed by {@link letGoPort}. */
  readonly fd: number;
  readonly port: number;
}

/**
 * Several processes of one account can hold a port at once, and one of them listen: what dies leaves it to the others.
 * `port` 0: any that is free. Source: socket(7), SO_REUSEPORT: all of them have to be of one effective user;
 * SO_REUSEADDR, by which anybody could join one that does not listen, is not set.
 */
export function holdPort(host: Loopback, port: number): HeldPort | "taken" | "no-such-address" {
  const family = host === "::1" ? AF_INET6 : AF_INET;
  const fd = socketRaw(family, SOCK_STREAM_CLOEXEC, 0);
  if (fd < 0) return answerFor(koffi.errno());
  const one = Buffer.from([1, 0, 0, 0]);
  const address = addressOf(family, port);
  const isBound =
    setsockoptRaw(fd, SOL_SOCKET, SO_REUSEPORT, one, one.length) === 0 &&
    (family === AF_INET || setsockoptRaw(fd, IPPROTO_IPV6, IPV6_V6ONLY, one, one.length) === 0) &&
    bindRaw(fd, address, address.length) === 0;
  const length = Buffer.from([address.length, 0, 0, 0]);
  if (isBound && getsocknameRaw(fd, address, length) === 0) return { fd, port: address.readUInt16BE(2) };
  const code = koffi.errno();
  closeRaw(fd);
  return answerFor(code);
}

function answerFor(code: number): "taken" | "no-such-address" {
  if (code === EADDRNOTAVAIL || code === EAFNOSUPPORT) return "no-such-address";
  if (code === EADDRINUSE || code === EACCES) return "taken";
  throw Object.assign(new Error(`bind failed (${code})`), {
    code: Object.entries(constants.errno).find(([, value]) => value === code)?.[0] ?? "EIO",
  });
}

/** The first descriptor by which a service manager gives sockets. Source: sd_listen_fds(3). */
const FIRST_GIVEN = 3;
const MOST_GIVEN = 8;

/**
 * The sockets that the service manager which started this process listens at for it, if it was: each at an address of
 * this computer's own, all at one port; `elsewhere`: they are not, and nothing may be served there. What told of them
 * is taken out of the environment, so that no program started from here takes them for its own.
 */
export function givenPorts(
  environment: Record<string, string | undefined>,
  pid: number,
): readonly HeldPort[] | "elsewhere" {
  const { LISTEN_PID: whose, LISTEN_FDS: count } = environment;
  delete environment["LISTEN_PID"];
  delete environment["LISTEN_FDS"];
  delete environment["LISTEN_FDNAMES"];
  if (Number(whose) !== pid) return [];
  const given = Array.from({ length: Math.min(Number(count), MOST_GIVEN) }, (_, index) => boundTo(FIRST_GIVEN + index));
  const ports = new Set(given.map((one) => one?.port));
  const held = given.filter((one) => one !== null);
  return held.length === Number(count) && held.length > 0 && ports.size === 1 ? held : "elsewhere";
}

/** null: no socket, or one that others than this computer reach. */
function boundTo(fd: number): HeldPort | null {
  const address = Buffer.alloc(28);
  if (getsocknameRaw(fd, address, Buffer.from([address.length, 0, 0, 0])) !== 0) return null;
  const family = address.readUInt16LE(0);
  if (family !== AF_INET && family !== AF_INET6) return null;
  const port = address.readUInt16BE(2);
  const own = addressOf(family, port);
  // Of the newer family, neither the flow nor the scope says anything about a loopback address.
  const [from, to] = family === AF_INET ? [4, 8] : [8, 24];
  return address.subarray(from, to).equals(own.subarray(from, to)) ? { fd, port } : null;
}

/** Source: struct sockaddr_in and sockaddr_in6, ip(7) and ipv6(7). */
function addressOf(family: number, port: number): Buffer {
  const bytes = Buffer.alloc(family === AF_INET ? 16 : 28);
  bytes.writeUInt16LE(family, 0);
  bytes.writeUInt16BE(port, 2);
  if (family === AF_INET) bytes.set([127, 0, 0, 1], 4);
  else bytes[23] = 1;
  return bytes;
}

export function letGoPort({ fd }: HeldPort): void {
  closeRaw(fd);
}
