/**
 * Names on a disk that can't hold every name: one that reserves characters, or does not tell `a` from `A`. Each gets
 * one form there from which the true name is read back; the sealed copy has the true one. Pure. FORMAT.md §5.6.
 *
 * `%` and two hexadecimal digits stand for a byte: of a reserved character, of a dot or space at the end, of the first
 * letter of a device's name, of what is no UTF-8, and of `%` itself where such a form would follow. Of names that the
 * disk does not tell apart, all but the first get `%~` and a number before their extension.
 */
/**
 * A disk that holds this name holds every one: what is no UTF-8, what sticks reserve, and a dot at its end. For a file
 * that is made to see whether.
 */
export const ODD_NAME = Buffer.from('holding\x80:"?*<>|\\.new.', "latin1");

const RESERVED = /["*:<>?\\|\u0000-\u001f\u007f]/;
/** Source: [MS-FSCC] §2.1.5. */
const DEVICE_NAME = /^(?:con|prn|aux|nul|com[0-9\u00b9\u00b2\u00b3]|lpt[0-9\u00b9\u00b2\u00b3])(?: *\.| *$)/i;
const FORM = /^%(?:[0-9a-f]{2}|~)/i;

function escaped(character: string): string {
  return [...Buffer.from(character)].map((byte) => `%${byte.toString(16).padStart(2, "0")}`).join("");
}

/** The name's own form, without regard to others beside it; itself where the disk holds it. */
export function heldName(name: Buffer): Buffer {
  const text = name.toString("utf8");
  // What is no UTF-8 stands as its bytes, and each that is not a plain character is written as one.
  const isText = Buffer.from(text).equals(name);
  const characters = isText ? [...text] : [...name.toString("latin1")];
  const isDevice = DEVICE_NAME.test(text);
  const held = characters.map((character, i) => {
    const isLast = i === characters.length - 1;
    if (!isText && character >= "\u0080") return `%${character.charCodeAt(0).toString(16)}`;
    const must =
      RESERVED.test(character) ||
      (isLast && (character === "." || character === " ")) ||
      (isDevice && i === 0) ||
      (character === "%" && FORM.test(characters.slice(i, i + 3).join("")));
    return must ? escaped(character) : character;
  });
  return Buffer.from(held.join(""));
}

/** The bytes of a name as the key of a map. */
export function nameKey(name: Buffer): string {
  return name.toString("latin1");
}

function folded(name: Buffer): string {
  return name.toString("utf8").normalize("NFC").toUpperCase().toLowerCase();
}

/**
 * The forms of all names of a tree, by {@link nameKey}: of those only that are not held as they are. The same for every
 * directory of it, and whatever order the names come in. `taken`: names that are not the tree's own.
 */
export function heldNames(names: Iterable<Buffer>, taken: readonly Buffer[] = []): ReadonlyMap<string, Buffer> {
  const distinct = [...new Map([...names].map((name) => [nameKey(name), name])).values()].sort(Buffer.compare);
  const seen = new Map<string, number>(taken.map((name) => [folded(name), 1]));
  const forms = new Map<string, Buffer>();
  for (const name of distinct) {
    const own = heldName(name);
    const number = (seen.get(folded(own)) ?? 0) + 1;
    seen.set(folded(own), number);
    const form = number === 1 ? own : numbered(own, number);
    if (!form.equals(name)) forms.set(nameKey(name), form);
  }
  return forms;
}

function numbered(name: Buffer, number: number): Buffer {
  const dot = name.lastIndexOf(".");
  const end = dot <= 0 ? name.length : dot;
  return Buffer.concat([name.subarray(0, end), Buffer.from(`%~${number}`), name.subarray(end)]);
}
