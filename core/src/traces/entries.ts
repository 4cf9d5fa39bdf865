import { type XmlElement, xmlElements } from "./xml-elements";

/** An entry of a list as it stands there. */
export interface ListEntry {
  readonly start: number;
  readonly bytes: Buffer;
}

export const AS_LINES = { as: "part", format: "lines" } as const;
export const AS_ELEMENTS = { as: "part", format: "elements" } as const;

const LINE = /[^\n]*\n|[^\n]+$/g;

/** Each with its line break. One character stands for one byte. */
export function textLines(text: string): string[] {
  return text.match(LINE) ?? [];
}

/** A text cut into entries that follow one another, where each begins. */
export function entriesOf<T extends { readonly whole: string }>(entries: readonly T[]): (T & ListEntry)[] {
  let at = 0;
  return entries.map((entry) => {
    const start = at;
    at += entry.whole.length;
    return { ...entry, start, bytes: Buffer.from(entry.whole, "latin1") };
  });
}

export function linesIn(bytes: Buffer | null): ListEntry[] {
  const lines = textLines(bytes?.toString("latin1") ?? "").map((whole) => ({ whole }));
  return entriesOf(lines).map(({ start, bytes: line }) => ({ start, bytes: line }));
}

/** The elements of a list, each of which can be cut out; null for what is not well-formed. */
export function elementsIn(bytes: Buffer): { readonly element: XmlElement; readonly entry: ListEntry }[] | null {
  // One character for each byte: offsets are those of the file.
  const text = bytes.toString("latin1");
  return (
    xmlElements(text)?.map((element) => {
      const { start, end } = wholeLines(text, element);
      return { element, entry: { start, bytes: bytes.subarray(start, end) } };
    }) ?? null
  );
}

/** With the blanks before it and the line break behind it, where it has its lines to itself. */
function wholeLines(text: string, { start, end }: Pick<XmlElement, "start" | "end">): { start: number; end: number } {
  const before = /(?:^|\n)([ \t]*)$/.exec(text.slice(Math.max(0, start - 200), start))?.[1];
  const behind = /^[ \t]*\r?\n/.exec(text.slice(end, end + 200))?.[0];
  return before === undefined || behind === undefined
    ? { start, end }
    : { start: start - before.length, end: end + behind.length };
}
