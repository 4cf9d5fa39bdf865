import { Buffer } from "buffer";

/** A browser has none of its own; this one does not know base64url (RFC 4648 §5), which the format is full of. */
const from = Buffer.from.bind(Buffer) as (value: unknown, ...rest: unknown[]) => Buffer;
Object.assign(Buffer, {
  from: (value: unknown, encoding?: unknown, length?: unknown) =>
    from(value, encoding === "base64url" ? "base64" : encoding, length),
});

const { toString } = Buffer.prototype;
Object.assign(Buffer.prototype, {
  toString(this: Buffer, encoding?: BufferEncoding, start?: number, end?: number): string {
    if (encoding !== "base64url") return toString.call(this, encoding, start, end);
    return toString.call(this, "base64", start, end).replaceAll("+", "-").replaceAll("/", "_").replace(/=+$/, "");
  },
});

export { Buffer };
