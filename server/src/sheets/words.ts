import type { RescueFile } from "../contract";
import type { Section } from "./sheet";

export const WITHOUT_EREMOS = (does: string, flag: string): string =>
  `Without Eremos: open the page rescue.html in any current browser, choose the locked folder (the one with a folder called .eremos in it), and ${does}. Or, with Node.js: node rescue.mjs FOLDER --to DIRECTORY ${flag}. Both work offline and change nothing. Save them from Ways back in Eremos, on a stick that you keep with this sheet.`;

export function readersSection(readers: readonly RescueFile[]): readonly Section[] {
  return readers.length === 0
    ? []
    : [
        {
          title: "So that nobody gives you another page",
          lines: readers.map(({ name, sha256 }) => `${name}, SHA-256: ${sha256.match(/.{1,8}/g)?.join(" ") ?? ""}`),
        },
      ];
}
