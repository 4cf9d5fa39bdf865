import { BlobWriter, TextReader, ZipWriter, configure } from "@zip.js/zip.js";
import type { LockedFolder, RescuedEntry } from "@eremos/core/rescue";
import { say } from "@eremos/words/reader";
import { save, streamToFile } from "./saving";

configure({ useWebWorkers: false });

export interface Lost {
  readonly path: string;
  readonly size: number;
  readonly lost: readonly { readonly offset: number; readonly length: number }[];
}

export function shownPath({ path }: RescuedEntry): string {
  return path.map((name) => name.toString("utf8")).join("/");
}

/** A file's bytes in order: holes and what can't be read as zeros; what could not be read is told at the end. */
async function* bytesOf(
  locked: LockedFolder,
  entry: RescuedEntry,
  lost: { offset: number; length: number }[],
): AsyncGenerator<Uint8Array<ArrayBuffer>> {
  let at = 0;
  for await (const { offset, length, bytes } of locked.read(entry)) {
    yield* zeros(offset - at);
    if (bytes) yield Uint8Array.from(bytes);
    else {
      yield* zeros(length);
      const last = lost.at(-1);
      if (last && last.offset + last.length === offset) last.length += length;
      else lost.push({ offset, length });
    }
    at = offset + length;
  }
  yield* zeros(entry.size - at);
}

const ZERO_BYTES = 1024 * 1024;

function* zeros(length: number): Generator<Uint8Array<ArrayBuffer>> {
  for (let rest = length; rest > 0; rest -= ZERO_BYTES) yield new Uint8Array(Math.min(rest, ZERO_BYTES));
}

/** One file; what of it could not be read, or null where it is whole. */
export async function takeOutFile(locked: LockedFolder, entry: RescuedEntry): Promise<Lost | null> {
  const lost: { offset: number; length: number }[] = [];
  const parts: Uint8Array<ArrayBuffer>[] = [];
  for await (const part of bytesOf(locked, entry, lost)) parts.push(part);
  const path = shownPath(entry);
  const name = path.slice(path.lastIndexOf("/") + 1);
  save(new Blob(parts), lost.length > 0 ? marked(name) : name);
  return lost.length > 0 ? { path, size: entry.size, lost } : null;
}

/** `letter.txt` becomes `letter (damaged).txt`. */
function marked(path: string): string {
  const dot = path.lastIndexOf(".");
  return dot > path.lastIndexOf("/") + 1 ? `${path.slice(0, dot)} (damaged)${path.slice(dot)}` : `${path} (damaged)`;
}

/**
 * Everything as one ZIP, with a list of what an archive can't hold: modes, times, links, holes. Streams to the disk
 * where the browser can.
 */
export async function takeOutAll(
  locked: LockedFolder,
  onProgress: (done: number, total: number) => void,
): Promise<readonly Lost[]> {
  const damaged: Lost[] = [];
  const total = locked.entries.reduce((sum, { size }) => sum + size, 0);
  let done = 0;
  const target = await targetFor("Rescued.zip");
  const zip = new ZipWriter(target.writer, { level: 0, zip64: total > 2_000_000_000, keepOrder: true });
  const names = new Set<string>();
  for (const entry of locked.entries) {
    const path = freeName(shownPath(entry), names);
    const lastModDate = new Date(Number(entry.meta.mtimeNs / 1_000_000n));
    if (entry.kind === "dir") await zip.add(`${path}/`, undefined, { directory: true, lastModDate });
    if (entry.kind !== "file") continue;
    const lost: { offset: number; length: number }[] = [];
    const pieces = bytesOf(locked, entry, lost);
    const readable = new ReadableStream<Uint8Array>({
      async pull(controller) {
        const { value, done: isOver } = await pieces.next();
        if (isOver) return controller.close();
        done += value.length;
        onProgress(done, total);
        controller.enqueue(value);
      },
    });
    await zip.add(path, readable, { lastModDate });
    if (lost.length > 0) damaged.push({ path, size: entry.size, lost });
  }
  await zip.add("eremos-manifest.json", new TextReader(manifestOf(locked, damaged)));
  await zip.close();
  await target.finish();
  return damaged;
}

function freeName(path: string, names: Set<string>): string {
  let free = path;
  for (let n = 2; names.has(free); n++) free = `${path} (${n})`;
  names.add(free);
  return free;
}

interface Target {
  readonly writer: BlobWriter | WritableStream<Uint8Array>;
  readonly finish: () => Promise<void>;
}

async function targetFor(name: string): Promise<Target> {
  const stream = await streamToFile(name);
  if (stream) return { writer: stream, finish: async () => undefined };
  const writer = new BlobWriter("application/zip");
  return { writer, finish: async () => save(await writer.getData(), name) };
}

function manifestOf(locked: LockedFolder, damaged: readonly Lost[]): string {
  const entries = locked.entries.map(({ kind, path, meta, size, target, linkGroup }) => ({
    path: path.map((name) => name.toString("utf8")).join("/"),
    bytesOfPath: path.map((name) => name.toString("base64")),
    kind,
    size,
    mode: meta.mode.toString(8),
    modified: new Date(Number(meta.mtimeNs / 1_000_000n)).toISOString(),
    ...(target ? { leadsTo: target.toString("utf8") } : {}),
    ...(linkGroup > 0 ? { sameFileAs: linkGroup } : {}),
  }));
  return JSON.stringify(
    {
      about: say("what-was-in-folder-links"),
      damaged,
      problems: locked.problems,
      entries,
    },
    null,
    2,
  );
}
