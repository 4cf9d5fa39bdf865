import type { Looks } from "../platform/port";
import { hiddenNamesIn, isHiddenByDesktop, namesIn } from "./hiding";
import { ITEM, PAGE } from "../format/state";
import type { OnlookerKind, SeenEntry } from "./kinds";
import { verdictOf } from "./verdict";

export interface View {
  readonly kind: OnlookerKind;
  readonly entries: readonly SeenEntry[];
  /** More entries than are listed. */
  readonly more: number;
  readonly verdict: string;
  readonly brief: string;
  /** The facts the verdict rests on, one sentence each. */
  readonly facts: readonly string[];
  /** The beginning of one file, as it lies on the disk. */
  readonly sample: { readonly name: string; readonly hex: string; readonly text: string } | null;
}

export interface Onlook {
  readonly place: string;
  readonly kinds: readonly View[];
}

const MOST_ENTRIES = 2000;
const MOST_RAW_ENTRIES = 400;
/** Beyond this the walk stops, and the verdict says so. */
const MOST_WALKED = 2000;
const SAMPLE_BYTES = 50;

/**
 * What somebody sees at a place right now, read from the disk at this moment and from nothing else. `subject` is the
 * name the verdict is about.
 */
export function lookAs(looks: Looks, place: string, subject: string | null): Onlook {
  const names = namesIn(looks, place);
  const hiddenByList = hiddenNamesIn(looks, place);
  const seen = names
    .map((name) => describe(looks, place, name))
    .filter((entry) => entry !== null)
    .sort((a, b) => a.name.localeCompare(b.name));
  const plainly = seen.filter((entry) => !isHiddenByDesktop(entry.name, hiddenByList));
  const raw = rawEntries(looks, place, subject);
  const sample = sampleOf(looks, place, raw.entries, subject);
  return {
    place,
    kinds: [
      view(looks, "keyboard", place, subject, plainly, MOST_ENTRIES, null),
      view(looks, "keyboard-hidden-shown", place, subject, seen, MOST_ENTRIES, null),
      view(looks, "disk", place, subject, raw.entries, MOST_RAW_ENTRIES, sample, raw.complete),
    ],
  };
}

function view(
  looks: Looks,
  kind: OnlookerKind,
  place: string,
  subject: string | null,
  entries: readonly SeenEntry[],
  most: number,
  sample: View["sample"],
  complete = true,
): View {
  const { verdict, brief, facts } = verdictOf(looks, kind, place, subject, entries, readsAsRandom(sample), complete);
  return {
    kind,
    entries: entries.slice(0, most),
    more: Math.max(0, entries.length - most),
    verdict,
    brief,
    facts,
    sample,
  };
}

function describe(looks: Looks, parent: string, name: string): SeenEntry | null {
  const path = `${parent}/${name}`;
  const entry = looks.entry(Buffer.from(path));
  if (!entry) return null;
  const { type, size } = entry;
  return { name, type, size: type === "dir" ? countEntries(looks, path) : size };
}

/** What a file manager shows in a folder's size column: the entries it would list. */
function countEntries(looks: Looks, path: string): number | null {
  try {
    const hidden = hiddenNamesIn(looks, path);
    return namesIn(looks, path).filter((name) => !isHiddenByDesktop(name, hidden)).length;
  } catch {
    return null;
  }
}

interface Raw {
  readonly entries: readonly SeenEntry[];
  /** False when there is more below the place than was walked. */
  readonly complete: boolean;
}

/**
 * Everything below the place by its raw name, as somebody with the disk in hand would list it: the subject first, then
 * hidden folders.
 */
function rawEntries(looks: Looks, place: string, subject: string | null): Raw {
  const entries: SeenEntry[] = [];
  let complete = true;
  const walk = (below: string): void => {
    let names: string[];
    try {
      names = namesIn(looks, below === "" ? place : `${place}/${below}`).sort();
    } catch {
      return;
    }
    if (below === "")
      names.sort(
        (a, b) =>
          Number(b === subject) - Number(a === subject) || Number(b.startsWith(".")) - Number(a.startsWith(".")),
      );
    for (const name of names) {
      if (entries.length >= MOST_WALKED) {
        complete = false;
        return;
      }
      const path = below === "" ? name : `${below}/${name}`;
      const entry = describe(looks, place, path);
      if (!entry) continue;
      entries.push({ ...entry, name: path });
      if (entry.type === "dir") walk(path);
    }
  };
  walk("");
  return { entries, complete };
}

/** The beginning of a file of the subject where one can be read, else of the first sealed piece, else of any file. */
function sampleOf(looks: Looks, place: string, entries: readonly SeenEntry[], subject: string | null): View["sample"] {
  const files = entries.filter((entry) => entry.type === "file" && (entry.size ?? 0) > 0);
  const readable = files.find(
    (file) =>
      subject !== null &&
      file.name.startsWith(`${subject}/`) &&
      !file.name.includes(".eremos/") &&
      ![PAGE, ITEM].some((sign) => file.name.endsWith(`/${sign}`)),
  );
  const entry = readable ?? files.find((file) => file.name.includes(".eremos/packs/")) ?? files[0];
  if (!entry) return null;
  const read = looks.read(
    Buffer.from(`${place}/${entry.name}`),
    SAMPLE_BYTES,
    entry.name.includes(".eremos/packs/") ? 128 : 0,
  );
  return (
    read && { name: entry.name, hex: read.toString("hex"), text: read.toString("latin1").replace(/[^\x20-\x7e]/g, "·") }
  );
}

/** Encrypted bytes have no run of text in them. */
function readsAsRandom(sample: View["sample"]): boolean {
  return sample !== null && !/[\x20-\x7e]{12}/.test(sample.text.replaceAll("·", "\u0000"));
}
