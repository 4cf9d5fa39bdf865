/**
 * Control, format, separating and unpaired characters: what a terminal acts on (escape sequences, the clipboard, a
 * second line), what shows nothing, and what turns text round. Names, hints and messages of strangers hold them.
 */
const UNPRINTABLE = /[\p{Cc}\p{Cf}\p{Cs}\p{Zl}\p{Zp}]/gu;

/** One line for a terminal: what is no plain text stands as its code point. */
export function printable(text: string): string {
  return text.replace(
    UNPRINTABLE,
    (character) => `<U+${(character.codePointAt(0) ?? 0).toString(16).toUpperCase().padStart(4, "0")}>`,
  );
}

/** One line of JSON, which reads back as the same value. */
export function printableJson(value: unknown): string {
  return JSON.stringify(value).replace(UNPRINTABLE, (character) =>
    [...character]
      .flatMap((one) =>
        Array.from({ length: one.length }, (_, i) => `\\u${one.charCodeAt(i).toString(16).padStart(4, "0")}`),
      )
      .join(""),
  );
}

/** Whether a text holds none of that, and can stand where it is read at a prompt. */
export function isPrintable(text: string): boolean {
  return text.search(UNPRINTABLE) === -1;
}
