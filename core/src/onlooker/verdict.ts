import { HIDDEN_NAME } from "../format/ids";
import { PAGE, SIGN_NAMES } from "../format/state";
import type { Looks } from "../platform/port";
import { namesIn } from "./hiding";
import type { OnlookerKind, SeenEntry } from "./kinds";
import { say } from "@eremos/words/core/onlooker";

const WHO: Record<OnlookerKind, string> = {
  keyboard: say("somebody-at-this-keyboard"),
  "keyboard-hidden-shown": say("somebody-who-shows-hidden-files"),
  disk: say("somebody-holding-disk"),
};

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
  looks: Looks,
  kind: OnlookerKind,
  place: string,
  subject: string | null,
  entries: readonly SeenEntry[],
  sampleIsRandom: boolean,
  complete: boolean,
): Verdict {
  if (kind === "disk") return diskVerdict(looks, place, subject, entries, sampleIsRandom, complete);
  const where = lastPart(place);
  const facts: string[] = [];
  const nameless = entries.filter((entry) => HIDDEN_NAME.test(entry.name)).length;
  if (kind === "keyboard") facts.push(say("read-from-disk-just-now"));
  else facts.push(say("read-from-disk-just-now-with"));
  if (nameless > 0) facts.push(say("folders-have-random-name-that", { nameless }));
  const count = say("sees-in", { who: WHO[kind], things: entries.length, where });
  if (subject === null) return { verdict: count, brief: say("sees", { things: entries.length }), facts };
  const seen = entries.find((entry) => entry.name === subject);
  if (!seen)
    return {
      verdict: say("is-not-one-them", { count, subject, entries: entries.length }),
      brief: nameless > 0 ? say("sees-nameless-folder") : say("does-not-see-it"),
      facts,
    };
  return {
    facts,
    brief: seen.type === "dir" && isLockedInView(looks, place, subject) ? say("sees-locked-folder") : say("sees-it"),
    verdict: say("is-one-them-other-in", {
      count,
      subject,
      hasType: seen.type === "dir" && seen.size !== null,
      size: seen.size,
    }),
  };
}

/** From the disk: Eremos' directory and its signs are all that is in there. */
function isLockedInView(looks: Looks, place: string, name: string): boolean {
  try {
    const inside = namesIn(looks, `${place}/${name}`);
    return inside.includes(".eremos") && inside.every((entry) => entry === ".eremos" || SIGN_NAMES.has(entry));
  } catch {
    return false;
  }
}

/** A sign of the subject, locked in view. A file of this name in an open folder is the owner's. */
function isSignOf(looks: Looks, place: string, subject: string, name: string): boolean {
  const at = name.lastIndexOf("/");
  const folder = name.slice(0, at);
  return SIGN_NAMES.has(name.slice(at + 1)) && folder.endsWith(subject) && isLockedInView(looks, place, folder);
}

function diskVerdict(
  looks: Looks,
  place: string,
  subject: string | null,
  entries: readonly SeenEntry[],
  sampleIsRandom: boolean,
  complete: boolean,
): Verdict {
  const where = lastPart(place);
  const atLeast = complete ? "" : say("at-least");
  const sealed = entries.filter((entry) => entry.type === "file" && /(^|\/)\.eremos\/(packs|index)\//.test(entry.name));
  const bytes = sealed.reduce((sum, entry) => sum + (entry.size ?? 0), 0);
  const facts = [say("read-from-disk-just-now-every")];
  if (sealed.length > 0) {
    facts.push(
      say("encrypted-files-mb-in-all", {
        isComplete: complete,
        sealed: sealed.length,
        bytes: (bytes / 1e6).toFixed(1),
      }),
    );
    if (sampleIsRandom) facts.push(say("sample-them-has-no-readable"));
  }
  const all = say("sees-entries-in-and-below", { who: WHO.disk, atLeast, entries: entries.length, where });
  if (subject === null) return { verdict: all, brief: say("sees-every-byte"), facts };
  const named = entries.filter((entry) => entry.name.split("/").includes(subject));
  if (named.length === 0) {
    const instead = sealed.length > 0 ? say("only-encrypted-data-without-names") : "";
    return {
      verdict: say("finds-no-in", { who: WHO.disk, subject, where, instead }),
      brief: sealed.length > 0 ? say("sees-sizes-no-names") : say("does-not-see-it"),
      facts,
    };
  }
  const readable = named.filter(
    (entry) =>
      entry.type === "file" &&
      !entry.name.includes(".eremos/") &&
      !entry.name.endsWith(`/${PAGE}`) &&
      !isSignOf(looks, place, subject, entry.name),
  );
  if (readable.length > 0)
    return {
      verdict: say("reads-files", { who: WHO.disk, atLeast, readable: readable.length, subject }),
      brief: say("reads-all-it"),
      facts,
    };
  return {
    verdict: say("sees-that-is-there-and", { who: WHO.disk, subject }),
    brief: say("sees-sizes-no-names"),
    facts,
  };
}
