import { ZipWriter, configure } from "@zip.js/zip.js";
import type { Handed } from "./collected";

configure({ useWebWorkers: false });

/** From this size on, entries say their sizes in eight bytes. */
const LARGE = 2_000_000_000;
/** AES-256. */
const STRENGTH = 3;
/** What an archive in an archive is called: nothing of what is in it. */
export const INNER_NAME = "contents.zip";

export interface ArchiveOutput {
  readonly put: (bytes: Uint8Array) => void;
  readonly count: (files: number, bytes: number) => void;
}

/** UTF-8. */
export interface ArchiveCipher {
  readonly password: Uint8Array;
  /** Names, sizes and times are not encrypted with contents; in an archive within, they are. */
  readonly hidesNames: boolean;
}

/**
 * One archive of all of it, handed on while it is written: stored as it is, or, encrypted by AES-256 (AE-2), made
 * smaller first. Source: ZIP application note; AE-2 as its extra field 0x9901.
 */
export async function writeArchive(
  handed: readonly Handed[],
  { put, count }: ArchiveOutput,
  cipher: ArchiveCipher | null = null,
): Promise<void> {
  const written = new WritableStream<Uint8Array>({ write: put });
  const zip64 = handed.reduce((sum, { size }) => sum + size, 0) > LARGE;
  if (!cipher) return fill(new ZipWriter(written, { level: 0, zip64, keepOrder: true }), handed, count);
  const encrypted = { zip64, keepOrder: true, rawPassword: cipher.password, encryptionStrength: STRENGTH } as const;
  if (!cipher.hidesNames) return fill(new ZipWriter(written, encrypted), handed, count);
  const { readable, writable } = new TransformStream<Uint8Array, Uint8Array>();
  const outer = new ZipWriter(written, { ...encrypted, level: 0 });
  await Promise.all([
    fill(new ZipWriter(writable, { zip64, keepOrder: true }), handed, count).catch(async (error: unknown) => {
      await writable.abort(error);
      throw error;
    }),
    outer.add(INNER_NAME, readable),
  ]);
  await outer.close();
}

async function fill(zip: ZipWriter<unknown>, handed: readonly Handed[], count: ArchiveOutput["count"]): Promise<void> {
  for (const { name, kind, modifiedAt, pieces } of handed) {
    const lastModDate = new Date(modifiedAt);
    if (kind === "dir") await zip.add(`${name}/`, undefined, { directory: true, lastModDate });
    else await zip.add(name, streamOf(pieces(), count), { lastModDate });
    count(1, 0);
  }
  await zip.close();
}

function streamOf(pieces: Iterable<Buffer>, count: (files: number, bytes: number) => void): ReadableStream<Uint8Array> {
  const iterator = pieces[Symbol.iterator]();
  return new ReadableStream<Uint8Array>({
    pull(controller) {
      const { value, done } = iterator.next();
      if (done) return controller.close();
      count(0, value.length);
      controller.enqueue(Uint8Array.from(value));
    },
    cancel: () => void iterator.return?.(),
  });
}
