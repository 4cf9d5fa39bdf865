import type { OnlookerKind, SeenEntry } from "./onlooker";

const WHO: Record<OnlookerKind, string> = {
  keyboard: "Somebody at this keyboard",
  "keyboard-hidden-shown": "Somebody who shows hidden files",
  disk: "Somebody holding the disk",
};

const WORDS = ["nothing", "one thing", "two things", "three things", "four things", "five things", "six things", "seven things", "eight things", "nine things"];

function things(count: number): string {
  return WORDS[count] ?? `${count.toLocaleString("en")} things`;
}

function lastPart(path: string): string {
  return path.slice(path.lastIndexOf("/") + 1) || path;
}

const NAMELESS = /^\.[0-9a-f]{20}$/;

/** One sentence, and the facts it rests on. Everything here is said of the entries that were just read. */
export function verdictOf(kind: OnlookerKind, place: string, subject: string | null, entries: readonly SeenEntry[], sampleIsRandom: boolean): { verdict: string; facts: string[] } {
  const where = lastPart(place);
  if (kind === "disk") return diskVerdict(where, subject, entries, sampleIsRandom);
  const facts: string[] = [];
  const nameless = entries.filter((entry) => NAMELESS.test(entry.name)).length;
  if (kind === "keyboard") facts.push("Read from the disk just now, leaving out dot names and names on the place's .hidden list, as the desktop does.");
  else facts.push("Read from the disk just now, with nothing left out.");
  if (nameless > 0) facts.push(`${nameless === 1 ? "One folder has" : `${nameless} folders have`} a random name that says nothing.`);
  const count = `${WHO[kind]} sees ${things(entries.length)} in ${where}.`;
  if (subject === null) return { verdict: count, facts };
  const seen = entries.find((entry) => entry.name === subject);
  if (!seen) return { verdict: `${count} ${subject} is not ${entries.length === 0 ? "there" : "one of them"}.`, facts };
  return { verdict: `${count} ${subject} is one of them${seen.type === "dir" && seen.size !== null ? `, with ${seen.size === 1 ? "one entry" : seen.size === 0 ? "no entries" : `${seen.size} entries`} in it` : ""}.`, facts };
}

function diskVerdict(where: string, subject: string | null, entries: readonly SeenEntry[], sampleIsRandom: boolean): { verdict: string; facts: string[] } {
  const sealed = entries.filter((entry) => entry.type === "file" && /(^|\/)\.eremos\/(packs|index)\//.test(entry.name));
  const bytes = sealed.reduce((sum, entry) => sum + (entry.size ?? 0), 0);
  const facts = ["Read from the disk just now: every name, size and byte below this place."];
  if (sealed.length > 0) {
    facts.push(`${sealed.length.toLocaleString("en")} encrypted file${sealed.length === 1 ? "" : "s"}, ${(bytes / 1e6).toFixed(1)} MB in all; how many and how large stays visible.`);
    if (sampleIsRandom) facts.push("A sample of their bytes has no readable text in it.");
  }
  const named = subject === null ? [] : entries.filter((entry) => entry.name.split("/").includes(subject));
  if (subject === null) return { verdict: `${WHO.disk} sees ${entries.length.toLocaleString("en")} entries in and below ${where}.`, facts };
  if (named.length === 0) return { verdict: `${WHO.disk} finds no ${subject} in ${where}${sealed.length > 0 ? ", only encrypted data without names" : ""}.`, facts };
  const readable = named.filter((entry) => entry.type === "file" && !entry.name.includes(".eremos/") && !entry.name.endsWith("/Locked with Eremos.html"));
  return { verdict: readable.length > 0 ? `${WHO.disk} reads ${readable.length.toLocaleString("en")} file${readable.length === 1 ? "" : "s"} of ${subject}.` : `${WHO.disk} sees that ${subject} is there, and no name or byte of what is in it.`, facts };
}
