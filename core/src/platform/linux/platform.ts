import type { Platform } from "../port";
import { linuxDiskOf } from "./linux-disk";
import { openssl } from "./openssl";
import { giveWay } from "./priority";

/** Linux, for a computer that knows its own records by this secret. */
export function linuxPlatform(secret: Uint8Array): Platform {
  return { disk: linuxDiskOf(secret), ciphers: openssl, giveWay };
}
