import { isName } from "@eremos/core";

/**
 * Paths inside a visited folder, as they go over the wire: names percent-encoded byte by byte (RFC 3986), after
 * slashes. Names need not be UTF-8.
 */
export type Path = readonly Buffer[];

const UNRESERVED = /[A-Za-z0-9\-._~]/;

function encodeName(name: Buffer): string {
  let encoded = "";
  for (const byte of name) {
    const letter = String.fromCharCode(byte);
    encoded += UNRESERVED.test(letter) ? letter : `%${byte.toString(16).toUpperCase().padStart(2, "0")}`;
  }
  return encoded;
}

export function hrefOf(path: Path): string {
  return `/${path.map(encodeName).join("/")}`;
}

/** Null where it is not a path inside the folder: `..`, a slash or a zero in a name, or a broken escape. */
export function pathOf(href: string): Path | null {
  if (!href.startsWith("/") || /[?#]/.test(href)) return null;
  const path: Buffer[] = [];
  for (const part of href.split("/")) {
    if (part === "") continue;
    const name = decodeName(part);
    if (!name || !isName(name)) return null;
    path.push(name);
  }
  return path;
}

function decodeName(part: string): Buffer | null {
  if (/%(?![0-9A-Fa-f]{2})/.test(part)) return null;
  return Buffer.concat(
    part
      .split(/(%[0-9A-Fa-f]{2})/)
      .map((piece) =>
        /^%[0-9A-Fa-f]{2}$/.test(piece)
          ? Buffer.from([Number.parseInt(piece.slice(1), 16)])
          : Buffer.from(piece, "utf8"),
      ),
  );
}

/** For people: UTF-8, with what is not UTF-8 replaced. */
export function shownName(name: Buffer): string {
  return name.toString("utf8");
}
