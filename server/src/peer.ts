import type { Socket } from "node:net";
import { accountOfPeer } from "@eremos/core";

/** Whose program opened the other end, by the kernel's word; null where it does not tell. */
export function accountBehind({ remoteAddress, remotePort, localAddress, localPort }: Socket): number | null {
  if (remoteAddress === undefined || remotePort === undefined || localAddress === undefined || localPort === undefined)
    return null;
  return accountOfPeer({ address: remoteAddress, port: remotePort }, { address: localAddress, port: localPort });
}
