import * as fs from "node:fs";
import { HIDDEN_NAME } from "../format/ids";
import { ICON_NAME, PAGE_NAME } from "../engine/ground";
import type { OnlookerKind, SeenEntry } from "./kinds";

const PAGE = PAGE_NAME.toString();
const ICON = ICON_NAME.toString();

const WHO: Record<OnlookerKind, string> = {
  keyboard: "Somebody at this keyboard",
  "keyboard-hidden-shown": "Somebody who shows hidden files",
  disk: "Somebody holding the disk",
};

const WORDS = [
  "nothing",
  "one thing",
  "two things",
  "three things",
  "four things",
  "five things",
  "six things",
  "seven things",
  "eight things",
  "nine things",
];

function things(count: number): string {
  return WORDS[count] ?? `${count.toLocaleString("en")} things`;
}

function lastPart(path: string): string {
  return path.slice(path.lastIndexOf("/") + 1) || path;
}

export interface Verdict {
  readonly verdict: string;
  /** The verdict in two or three words, for a list of kinds. */
  readonly brief: string;
  readonly facts: string[];
}

/** One sentence, and the facts it rests on. Everything here is said of the entries that were just read. */
export function verdictOf(
  kind: OnlookerKind,
  place: string,
  subject: string | null,
  entries: readonly SeenEntry[],
  sampleIsRandom: boolean,
  complete: boolean,
): Verdict {
  if (kind === "disk") return diskVerdict(place, subject, entries, sampleIsRandom, complete);
  const where = lastPart(place);
  const facts: string[] = [];
  const nameless = entries.filter((entry) => HIDDEN_NAME.test(entry.name)).length;
  if (kind === "keyboard")
    facts.push(
      "Read from the disk just now, leaving out dot names and names on the place's .hidden list, as the desktop does.",
    );
  else facts.push("Read from the disk just now, with nothing left out.");
  if (nameless > 0)
    facts.push(`${nameless === 1 ? "One folder has" : `${nameless} folders have`} a random name that says nothing.`);
  const count = `${WHO[kind]} sees ${things(entries.length)} in ${where}.`;
  if (subject === null) return { verdict: count, brief: `sees ${things(entries.length)}`, facts };
  const seen = entries.find((entry) => entry.name === subject);
  if (!seen)
    return {
      verdict: `${count} ${subject} is not ${entries.length === 0 ? "there" : "one of them"}.`,
      brief: nameless > 0 ? "sees a nameless folder" : "does not see it",
      facts,
    };
  return {
    facts,
    brief: seen.type === "dir" && isLockedInView(place, subject) ? "sees a locked folder" : "sees it",
    verdict: `${count} ${subject} is one of them${seen.type === "dir" && seen.size !== null ? `, with ${seen.size === 1 ? "one entry" : seen.size === 0 ? "no entries" : `${seen.size} entries`} in it` : ""}.`,
  };
}

/** From the disk: Eremos' directory and its page are all that is in there. */
function isLockedInView(place: string, name: string): boolean {
  try {
    const inside = fs.readdirSync(`${place}/${name}`);
    return (
      inside.includes(".eremos") && inside.every((entry) => entry === ".eremos" || entry === PAGE || entry === ICON)
    );
  } catch {
    return false;
  }
}

function diskVerdict(
  place: string,
  subject: string | null,
  entries: readonly SeenEntry[],
  sampleIsRandom: boolean,
  complete: boolean,
): Verdict {
  const where = lastPart(place);
  const atLeast = complete ? "" : "at least ";
  const sealed = entries.filter((entry) => entry.type === "file" && /(^|\/)\.eremos\/(packs|index)\//.test(entry.name));
  const bytes = sealed.reduce((sum, entry) => sum + (entry.size ?? 0), 0);
  const facts = ["Read from the disk just now: every name, size and byte below this place."];
  if (sealed.length > 0) {
    facts.push(
      `${complete ? "" : "At least "}${sealed.length.toLocaleString("en")} encrypted file${sealed.length === 1 ? "" : "s"}, ${(bytes / 1e6).toFixed(1)} MB in all; how many and how large stays visible.`,
    );
    if (sampleIsRandom) facts.push("The sample of them has no readable text in it.");
  }
  const all = `${WHO.disk} sees ${atLeast}${entries.length.toLocaleString("en")} entries in and below ${where}.`;
  if (subject === null) return { verdict: all, brief: "sees every byte", facts };
  const named = entries.filter((entry) => entry.name.split("/").includes(subject));
  if (named.length === 0) {
    const instead = sealed.length > 0 ? ", only encrypted data without names" : "";
    return {
      verdict: `${WHO.disk} finds no ${subject} in ${where}${instead}.`,
      brief: sealed.length > 0 ? "sees sizes, no names" : "does not see it",
      facts,
    };
  }
  const readable = named.filter(
    (entry) =>
      entry.type === "file" &&
      !entry.name.includes(".eremos/") &&
      !entry.name.endsWith(`/${PAGE}`) &&
      !(entry.name.endsWith(`${subject}/${ICON}`) && isLockedInView(place, entry.name.slice(0, -ICON.length - 1))),
  );
  if (readable.length > 0)
    return {
      verdict: `${WHO.disk} reads ${atLeast}${readable.length.toLocaleString("en")} file${readable.length === 1 ? "" : "s"} of ${subject}.`,
      brief: "reads all of it",
      facts,
    };
  return {
    verdict: `${WHO.disk} sees that ${subject} is there, and no name or byte of what is in it.`,
    brief: "sees sizes, no names",
    facts,
  };
}
