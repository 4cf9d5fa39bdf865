import { crc32, deflateSync } from "node:zlib";
import * as fs from "node:fs";
import * as path from "node:path";
import type { TraceHome } from "../../src/traces";

/** What an account's programs remember, all below one directory. */
export function traceHome(base: string, drives: readonly string[] = []): TraceHome {
  const at = (name: string): Buffer => Buffer.from(path.join(base, name));
  return {
    home: Buffer.from(base),
    dataHome: at("share"),
    configHome: at("config"),
    cacheHome: at("cache"),
    stateHome: at("state"),
    temporary: [at("tmp")],
    drives: drives.map((drive) => Buffer.from(drive)),
    visited: [],
    exports: [],
    uid: process.getuid?.() ?? 0,
  };
}

/** A picture with what its maker writes about it. */
export function thumbnail(of: string): Buffer {
  const chunk = (type: string, data: Buffer): Buffer => {
    const body = Buffer.concat([Buffer.from(type), data]);
    const [length, sum] = [Buffer.alloc(4), Buffer.alloc(4)];
    length.writeUInt32BE(data.length);
    sum.writeUInt32BE(crc32(body));
    return Buffer.concat([length, body, sum]);
  };
  return Buffer.concat([
    Buffer.from("89504e470d0a1a0a", "hex"),
    chunk("IHDR", Buffer.from("00000001000000010800000000", "hex")),
    chunk("tEXt", Buffer.from(`Thumb::URI\0${of}`)),
    chunk("IDAT", deflateSync(Buffer.from([0, 255]))),
    chunk("IEND", Buffer.alloc(0)),
  ]);
}

/** A list of recent files. */
export const xbel = (addresses: readonly string[]): string => `<?xml version="1.0" encoding="UTF-8"?>
<xbel version="1.0"
      xmlns:bookmark="http://www.freedesktop.org/standards/desktop-bookmarks"
>
  <!-- <bookmark href="file:///in/a/comment"/> -->
${addresses
  .map(
    (address) => `  <bookmark href="${address}" added="2026-01-03T10:00:00Z">
    <info><metadata owner="http://freedesktop.org"><mime:mime-type type="text/plain"/></metadata></info>
  </bookmark>
`,
  )
  .join("")}</xbel>
`;

/** A file below a directory, with the directories that lead to it. Returns its path. */
export function putBelow(base: string, content: string | Buffer, ...parts: readonly string[]): string {
  const file = path.join(base, ...parts);
  fs.mkdirSync(path.dirname(file), { recursive: true });
  fs.writeFileSync(file, content);
  return file;
}
