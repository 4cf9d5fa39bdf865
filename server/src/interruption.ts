import { displayPath } from "@eremos/core";
import type { InterruptionView } from "./contract";
import type { Note } from "./data-directory";
import type { CutOff } from "./jobs";
import { decodePath, nameOf } from "./operations/paths";
import { protectionOf } from "./protection";

/** Work that was cut off and put right by what is on disk, until its owner has said what is to become of it. In memory only. */
export interface Interruption {
  readonly note: Note;
  readonly job: CutOff;
  /** The state the folder was brought into; null: it is an ordinary folder. */
  readonly state: string | null;
  /** Milliseconds since 1970. */
  readonly at: number;
}

export function viewOfInterruption({ note, job, state, at }: Interruption): InterruptionView {
  const path = decodePath(note.path);
  const now = state === null ? "ordinary" : state === "open" ? "open" : state === "mixed" ? "partly" : "locked";
  return { folder: note.id, name: nameOf(path), path: displayPath(path), verb: job.verb, files: job.files, filesTotal: job.filesTotal, now, at, protection: protectionOf(note) };
}
