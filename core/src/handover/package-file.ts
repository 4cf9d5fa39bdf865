import { EremosError, damage } from "../errors/eremos-error";
import type { Disk, OpenFile } from "../platform/port";
import { PackageReader, type PackedSource, openPackage } from "./package";
import type { PageHead } from "./package-page";
import * as z from "zod";
import { said } from "@eremos/words/core/handover";

/** Bytes that can be read from anywhere in it. */
export interface Readable {
  readonly size: number;
  /** As many as there are. @throws EremosError `damaged` */
  read(offset: number, length: number): Promise<Buffer>;
}

/** A page that we make begins like this, and says what it holds before its pieces. */
const PAGE_BEGINS = /^\s*<!doctype html>/i;
const HEAD_BEGINS = '<script type="application/json" id="package">';
const PIECE_BEGINS = Buffer.from('<script type="text/plain" class="piece">');
const PIECE_ENDS = Buffer.from("</script>");
/** More than any page that opens a package has before its pieces. */
const LARGEST_PAGE = 4 * 1024 * 1024;
const WINDOW_BYTES = 1024 * 1024;

const headSchema = z.strictObject({
  layout: z.enum(["inside", "behind"]),
  offset: z.string().regex(/^[0-9]{12}$/),
  head: z.string().max(2048),
});

export function readableFile(disk: Disk, file: OpenFile): Readable {
  const { size } = disk.statOpen(file);
  return {
    size,
    read: async (offset, length) => {
      const into = Buffer.alloc(Math.max(0, Math.min(length, size - offset)));
      let filled = 0;
      while (filled < into.length) {
        const count = disk.read(file, into, filled, into.length - filled, offset + filled);
        if (count === 0) break;
        filled += count;
      }
      return into.subarray(0, filled);
    },
  };
}

/**
 * What a page says of the package in it; null where it is no such page. @throws EremosError `damaged` for one of ours
 * whose beginning is damaged
 */
export async function pageHeadIn(file: Readable): Promise<PageHead | null> {
  const begin = (await file.read(0, LARGEST_PAGE)).toString("latin1");
  const at = PAGE_BEGINS.test(begin) ? begin.indexOf(HEAD_BEGINS) : -1;
  if (at < 0) return null;
  const text = begin.slice(at + HEAD_BEGINS.length, begin.indexOf("</script>", at));
  let value: unknown = null;
  try {
    value = JSON.parse(text);
  } catch {
    // Told below.
  }
  const parsed = headSchema.safeParse(value);
  if (!parsed.success) throw damage(said("is-no-package-of-this-version"));
  return parsed.data;
}

/** The archive in a page. @throws EremosError `wrong-password` | `damaged` */
export async function openPage(file: Readable, about: PageHead, password: Uint8Array): Promise<Readable> {
  const cipher = await openPackage(Buffer.from(about.head, "base64"), password);
  const source = about.layout === "behind" ? behindPage(file, Number(about.offset)) : await insidePage(file);
  const reader = new PackageReader(source, cipher);
  await reader.requireEnd();
  return { size: reader.length, read: (offset, length) => reader.read(offset, length) };
}

function behindPage(file: Readable, offset: number): PackedSource {
  return { size: Math.max(0, file.size - offset), read: (at, length) => file.read(offset + at, length) };
}

interface Piece {
  /** Of its text, in the file. */
  readonly from: number;
  readonly until: number;
  /** Of its bytes, in the package. */
  readonly at: number;
  readonly size: number;
}

async function insidePage(file: Readable): Promise<PackedSource> {
  const pieces = await piecesOf(file);
  const last = pieces.at(-1);
  let kept = { piece: last, bytes: Buffer.alloc(0) };
  const bytesOf = async (piece: Piece): Promise<Buffer> => {
    if (kept.piece !== piece || kept.bytes.length === 0) {
      const text = await file.read(piece.from, piece.until - piece.from);
      kept = { piece, bytes: Buffer.from(text.toString("latin1"), "base64") };
    }
    return kept.bytes;
  };
  return {
    size: last ? last.at + last.size : 0,
    read: async (offset, length) => {
      const parts: Buffer[] = [];
      for (const piece of pieces) {
        const [from, until] = [Math.max(offset, piece.at), Math.min(offset + length, piece.at + piece.size)];
        if (from < until) parts.push((await bytesOf(piece)).subarray(from - piece.at, until - piece.at));
      }
      return Buffer.concat(parts);
    },
  };
}

/** Where the pieces stand. @throws EremosError `damaged` where one has no end: the file was cut off */
async function piecesOf(file: Readable): Promise<readonly Piece[]> {
  const pieces: Piece[] = [];
  let at = 0;
  for (let from = await find(file, PIECE_BEGINS, 0); from >= 0; from = await find(file, PIECE_BEGINS, from)) {
    from += PIECE_BEGINS.length;
    const until = await find(file, PIECE_ENDS, from);
    if (until < 0) throw damage(said("package-was-cut-off"), { reason: "cut off" });
    const padding = (await file.read(Math.max(from, until - 2), 2)).toString("latin1").replaceAll(/[^=]/g, "").length;
    const size = Math.floor(((until - from) * 3) / 4) - padding;
    pieces.push({ from, until, at, size });
    at += size;
    from = until;
  }
  return pieces;
}

/** Where some bytes stand first from a place on; -1: nowhere. */
async function find(file: Readable, wanted: Buffer, from: number): Promise<number> {
  for (let at = from; at < file.size; at += WINDOW_BYTES) {
    const found = (await file.read(at, WINDOW_BYTES + wanted.length - 1)).indexOf(wanted);
    if (found >= 0) return at + found;
  }
  return -1;
}

export function notThere(path: string): EremosError {
  return new EremosError("not-found", said("nothing-to-receive-at", { path }), { path });
}
