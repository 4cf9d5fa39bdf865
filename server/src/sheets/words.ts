import type { RescueFile } from "../contract";
import type { Section } from "./sheet";
import { say } from "@eremos/words/server/papers";

export const WITHOUT_EREMOS = (does: string, flag: string): string =>
  say("without-eremos-open-page-rescue", { does, flag });

export function readersSection(readers: readonly RescueFile[]): readonly Section[] {
  return readers.length === 0
    ? []
    : [
        {
          title: say("so-that-nobody-gives-you"),
          lines: readers.map(({ name, sha256 }) => `${name}, SHA-256: ${sha256.match(/.{1,8}/g)?.join(" ") ?? ""}`),
        },
      ];
}
