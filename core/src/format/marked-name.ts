/**
 * A name beside one that is taken, or that says what became of a file: `letter (damaged).txt`, then `letter (damaged
 * 2).txt`. What kind of file it is shows as before, no character is cut in half, and it is no longer than a file system
 * takes. FORMAT.md §7.2. Pure.
 */
export type Mark = "arrived while locked" | "damaged" | "from the copy" | "brought out" | "new";

const LONGEST_NAME = 255;
/** A longer one, or one with a space in it, is part of a sentence. */
const LONGEST_EXTENSION = 16;

/** All of them, one after the other. */
export function* markedNames(name: Buffer, mark: Mark): Generator<Buffer> {
  const [stem, extension] = partsOf(name);
  for (let number = 1; ; number++) {
    const note = Buffer.from(number === 1 ? ` (${mark})` : ` (${mark} ${number})`);
    yield Buffer.concat([upTo(stem, LONGEST_NAME - note.length - extension.length), note, extension]);
  }
}

/** Its own name, then those: endless. */
export function* ownOrMarked(name: Buffer, mark: Mark): Generator<Buffer> {
  yield name;
  yield* markedNames(name, mark);
}

/** The first that is free. */
export function markedName(name: Buffer, mark: Mark, isTaken: (name: Buffer) => boolean): Buffer {
  for (const free of markedNames(name, mark)) if (!isTaken(free)) return free;
  throw new RangeError("there was none");
}

function partsOf(name: Buffer): readonly [Buffer, Buffer] {
  const dot = name.lastIndexOf(0x2e);
  const extension = name.subarray(dot);
  const isOne = dot > 0 && extension.length > 1 && extension.length <= LONGEST_EXTENSION && !extension.includes(0x20);
  return isOne ? [name.subarray(0, dot), extension] : [name, Buffer.alloc(0)];
}

/** No more than so many bytes, and no character of UTF-8 in part. */
function upTo(bytes: Buffer, most: number): Buffer {
  let end = Math.min(bytes.length, most);
  while (end > 0 && end < bytes.length && ((bytes[end] ?? 0) & 0xc0) === 0x80) end--;
  return bytes.subarray(0, end);
}
