import { ZipWriter, configure } from "@zip.js/zip.js";
import type { Handed } from "./collected";

configure({ useWebWorkers: false });

/** From this size on, entries say their sizes in eight bytes. */
const LARGE = 2_000_000_000;

/** One archive of all of it, stored as it is, handed on while it is written. Source: ZIP application note. */
export async function writeArchive(
  handed: readonly Handed[],
  { put, count }: { readonly put: (bytes: Uint8Array) => void; readonly count: (files: number, bytes: number) => void },
): Promise<void> {
  const total = handed.reduce((sum, { size }) => sum + size, 0);
  const zip = new ZipWriter(new WritableStream<Uint8Array>({ write: put }), {
    level: 0,
    zip64: total > LARGE,
    keepOrder: true,
  });
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
