/** Paths as other programs' files and messages have them: bytes, of which all but plain characters are escaped. */

/** RFC 3986, section 2: all but unreserved characters and slashes. */
const RESERVED = /[^A-Za-z0-9\-_.~/]/g;
const ESCAPED = /%([0-9a-f]{2})/gi;

/** Every byte that is not plain as `%` and its two digits. */
export function percentEncoded(path: Buffer): string {
  return path
    .toString("latin1")
    .replace(RESERVED, (byte) => `%${byte.charCodeAt(0).toString(16).toUpperCase().padStart(2, "0")}`);
}

/** The bytes again; names need not be UTF-8. */
export function percentDecoded(text: string): Buffer {
  const bytes = Buffer.from(text).toString("latin1");
  return Buffer.from(
    bytes.replace(ESCAPED, (_, digits: string) => String.fromCharCode(parseInt(digits, 16))),
    "latin1",
  );
}

/** RFC 8089. */
export function fileAddress(path: Buffer): string {
  return `file://${percentEncoded(path)}`;
}

/** The path in an address of a file on this computer; null for any other text. */
export function pathInAddress(address: string): Buffer | null {
  const path = /^file:\/\/(?:localhost)?(\/[^?#]*)$/i.exec(address)?.[1];
  const bytes = path === undefined ? null : percentDecoded(path);
  return bytes?.includes(0) ? null : bytes;
}
