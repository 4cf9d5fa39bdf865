import type { IncomingMessage } from "node:http";
import type { FileNode, Node } from "@eremos/core";
import { parseIf } from "./locks";

/** What the headers of WebDAV (RFC 4918 §10) and of conditional requests and ranges (RFC 9110) say. */

/** Ends a request with a status. */
export class Status extends Error {
  constructor(
    readonly status: number,
    readonly body = "",
  ) {
    super(String(status));
  }
}

export function fail(status: number): never {
  throw new Status(status);
}

export type Depth = "0" | "1" | "infinity";

export function etagOf({ data, size, meta }: FileNode): string {
  return data ? `"${data.pack.object}-${data.offset}-${size}"` : `"0-${meta.mtimeNs}"`;
}

export function hasEtag(header: string, etag: string | null): boolean {
  return (
    (etag !== null && (header.match(/(?:W\/)?"[^"]*"/g) ?? []).some((one) => one.replace(/^W\//, "") === etag)) ||
    header.trim() === "*"
  );
}

export function millisecondsOf({ meta }: Node): number {
  return Number(meta.mtimeNs / 1_000_000n);
}

export function httpDate(node: Node): string {
  return new Date(millisecondsOf(node)).toUTCString();
}

export function isNotSince(header: string | undefined, file: FileNode): boolean {
  return header !== undefined && Math.floor(millisecondsOf(file) / 1000) * 1000 <= Date.parse(header);
}

/** One range of bytes, from and to; null where the whole is to be sent. */
export function rangeOf(
  { headers }: IncomingMessage,
  size: number,
  etag: string,
  modified: string,
): readonly [number, number] | "outside" | null {
  const condition = headers["if-range"];
  if (typeof condition === "string" && condition !== etag && condition !== modified) return null;
  const range = /^bytes=(\d*)-(\d*)$/.exec(headers.range?.trim() ?? "");
  const [first, last] = [range?.[1] ?? "", range?.[2] ?? ""];
  if (first === "" && last === "") return null;
  if (first === "") return Number(last) === 0 || size === 0 ? "outside" : [Math.max(0, size - Number(last)), size];
  const to = last === "" ? size : Math.min(size, Number(last) + 1);
  if (last !== "" && Number(last) < Number(first)) return null;
  return Number(first) >= size ? "outside" : [Number(first), to];
}

export function depthOf({ headers }: IncomingMessage, usual: Depth): Depth {
  const depth = String(headers["depth"] ?? usual).toLowerCase();
  if (depth !== "0" && depth !== "1" && depth !== "infinity") throw new Status(400);
  return depth;
}

const USUAL_SECONDS = 600;

export function timeoutOf({ headers }: IncomingMessage): number {
  const seconds = /^Second-(\d+)/i.exec(
    String(headers["timeout"] ?? "")
      .split(",")[0]
      ?.trim() ?? "",
  )?.[1];
  return seconds === undefined ? USUAL_SECONDS : Math.max(1, Number(seconds));
}

/** The lock tokens a request brings with it. */
export function tokensOf({ headers }: IncomingMessage): ReadonlySet<string> {
  const lists = typeof headers["if"] === "string" ? (parseIf(headers["if"]) ?? []) : [];
  return new Set(
    lists.flatMap(({ conditions }) =>
      conditions.flatMap(({ token, isNot }) => (token !== null && !isNot ? [token] : [])),
    ),
  );
}
