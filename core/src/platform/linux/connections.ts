import * as fs from "node:fs";
import koffi from "koffi";

/** One end of a TCP connection of this computer: an address in its usual text form and a port. */
interface Endpoint {
  readonly address: string;
  readonly port: number;
}

const libc = koffi.load(null);
type Call = (...args: (number | Buffer)[]) => number;
const socketRaw: Call = libc.func("int socket(int, int, int)");
const sendRaw: Call = libc.func("int64_t send(int, const void *, size_t, int)");
const recvRaw: Call = libc.func("int64_t recv(int, void *, size_t, int)");
const setsockoptRaw: Call = libc.func("int setsockopt(int, int, int, const void *, unsigned int)");
const closeRaw: Call = libc.func("int close(int)");

const AF_INET = 2;
const AF_INET6 = 10;
const AF_NETLINK = 16;
const SOCK_RAW_CLOEXEC = 3 | 0o2000000;
const NETLINK_SOCK_DIAG = 4;
const SOCK_DIAG_BY_FAMILY = 20;
const NLM_F_REQUEST = 1;
const NLMSG_ERROR = 2;
const IPPROTO_TCP = 6;
const SOL_SOCKET = 1;
const SO_RCVTIMEO = 20;
const ESTABLISHED = 1;
const HEADER_BYTES = 16;
const LONGEST_WAIT_S = 2n;

/** The bytes of an address, with its family; null for what is no address of loopback's two kinds. */
function parse(address: string): { readonly family: number; readonly bytes: Buffer } | null {
  const four = /^(?:::ffff:)?(\d+)\.(\d+)\.(\d+)\.(\d+)$/.exec(address);
  if (four) return { family: AF_INET, bytes: Buffer.from(four.slice(1).map(Number)) };
  return address === "::1" ? { family: AF_INET6, bytes: Buffer.from([...new Array<number>(15).fill(0), 1]) } : null;
}

/** Source: sock_diag(7), struct inet_diag_req_v2: one socket is asked for by its two ends, none is listed. */
function question(theirs: Endpoint, ours: Endpoint): { readonly family: number; readonly message: Buffer } | null {
  const [from, to] = [parse(theirs.address), parse(ours.address)];
  if (!from || from.family !== to?.family) return null;
  const message = Buffer.alloc(HEADER_BYTES + 56);
  message.writeUInt32LE(message.length, 0);
  message.writeUInt16LE(SOCK_DIAG_BY_FAMILY, 4);
  message.writeUInt16LE(NLM_F_REQUEST, 6);
  message.writeUInt32LE(1, 8);
  message.writeUInt8(from.family, 16);
  message.writeUInt8(IPPROTO_TCP, 17);
  message.writeUInt32LE(1 << ESTABLISHED, 20);
  message.writeUInt16BE(theirs.port, 24);
  message.writeUInt16BE(ours.port, 26);
  from.bytes.copy(message, 28);
  to.bytes.copy(message, 44);
  message.fill(0xff, 64);
  return { family: from.family, message };
}

/** The account in the kernel's answer; null where it has no such established connection. */
function accountIn(answer: Buffer, asked: Buffer, family: number): number | null {
  if (answer.length < HEADER_BYTES + 72 || answer.readUInt16LE(4) === NLMSG_ERROR) return null;
  const isAsked = answer.readUInt8(16) === family && answer.subarray(20, 56).equals(asked.subarray(24, 60));
  return isAsked && answer.readUInt8(17) === ESTABLISHED ? answer.readUInt32LE(80) : null;
}

/** undefined: this system has no such question. */
function askKernel(theirs: Endpoint, ours: Endpoint): number | null | undefined {
  const asked = question(theirs, ours);
  if (!asked) return null;
  const socket = socketRaw(AF_NETLINK, SOCK_RAW_CLOEXEC, NETLINK_SOCK_DIAG);
  if (socket < 0) return undefined;
  try {
    const wait = Buffer.alloc(16);
    wait.writeBigInt64LE(LONGEST_WAIT_S, 0);
    setsockoptRaw(socket, SOL_SOCKET, SO_RCVTIMEO, wait, wait.length);
    if (sendRaw(socket, asked.message, asked.message.length, 0) !== asked.message.length) return undefined;
    const answer = Buffer.alloc(4096);
    const length = recvRaw(socket, answer, answer.length, 0);
    if (length < HEADER_BYTES) return undefined;
    const got = answer.subarray(0, length);
    const error = got.readUInt16LE(4) === NLMSG_ERROR && length >= HEADER_BYTES + 4 ? -got.readInt32LE(16) : 0;
    return error !== 0 && error !== koffi.os.errno["ENOENT"] ? undefined : accountIn(got, asked.message, asked.family);
  } finally {
    closeRaw(socket);
  }
}

/** As proc_net_tcp(5) writes an end: the address in the machine's byte order, word by word, and the port. */
function written({ address, port }: Endpoint): string {
  const bytes = parse(address)?.bytes ?? Buffer.alloc(0);
  return `${Buffer.from(bytes).swap32().toString("hex").toUpperCase()}:${port.toString(16).toUpperCase().padStart(4, "0")}`;
}

/** The same from the list of all connections, where the question can't be asked. */
function listedAccount(theirs: Endpoint, ours: Endpoint): number | null {
  const [local, remote] = [written(theirs), written(ours)];
  for (const file of ["/proc/net/tcp", "/proc/net/tcp6"]) {
    if (!fs.existsSync(file)) continue;
    for (const line of fs.readFileSync(file, "utf8").split("\n").slice(1)) {
      const [, from, to, state, , , , uid] = line.trim().split(/\s+/);
      if (from === local && to === remote && state === "01" && uid !== undefined) return Number(uid);
    }
  }
  return null;
}

/**
 * The account whose program opened the other end of an established connection over loopback, by the kernel's word; null
 * where there is none or the system does not tell. One connection is looked up, however many others there are.
 */
export function accountOfPeer(theirs: Endpoint, ours: Endpoint): number | null {
  const account = askKernel(theirs, ours);
  return account === undefined ? listedAccount(theirs, ours) : account;
}
