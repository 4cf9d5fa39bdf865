import * as fs from "node:fs";
import type { Socket } from "node:net";

/**
 * The account whose program is at the other end of a connection over loopback, or null where the system does not tell. The kernel lists
 * each connection's end with the account that opened it. Source: proc_net_tcp(5): local_address, rem_address, st, …, uid.
 */
export function accountOf({ localPort, remotePort, remoteAddress }: Pick<Socket, "localPort" | "remotePort" | "remoteAddress">): number | null {
  if (remoteAddress !== "127.0.0.1" || localPort === undefined || remotePort === undefined) return null;
  const [theirs, ours] = [loopback(remotePort), loopback(localPort)];
  for (const line of linesOf("/proc/net/tcp")) {
    const [, local, remote, , , , , uid] = line.trim().split(/\s+/);
    if (local === theirs && remote === ours && uid !== undefined) return Number(uid);
  }
  return null;
}

function loopback(port: number): string {
  return `0100007F:${port.toString(16).toUpperCase().padStart(4, "0")}`;
}

function linesOf(file: string): string[] {
  try {
    return fs.readFileSync(file, "utf8").split("\n").slice(1);
  } catch {
    return [];
  }
}
