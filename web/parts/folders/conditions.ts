import type { FolderView, JobPhase, JobVerb } from "@eremos/server/contract";
import { protectionWords } from "./protections";
import type { DoorwayState } from "@/ui/doorway";
import { say } from "@eremos/words/page/folders";

/** Words and signs for a folder's condition: in one place, so that every view says the same. */
export function doorwayOf(folder: FolderView): DoorwayState {
  if (folder.state === "open") return "open";
  if (folder.state === "working" || folder.state === "away") return folder.state;
  if (folder.state !== "locked" || folder.attention !== null) return "attention";
  return folder.visibility === "view" ? folder.guard : "hidden";
}

export function conditionWord(folder: FolderView): string {
  switch (folder.state) {
    case "open":
      return say("open");
    case "working":
      return say("working");
    case "partly":
      return say("partly-locked");
    case "interrupted":
      return say("cut-off");
    case "missing":
      return say("not-at-its-place");
    case "away":
      return say("away");
    case "damaged":
      return say("damaged");
    case "locked":
      return say("locked");
  }
}

export function guardWords(folder: FolderView): string {
  return protectionWords(folder).replace(/^./, (first) => first.toLowerCase());
}

export type Group = "working" | "open" | "attention" | "locked" | "away";

export function groupOf(folder: FolderView): Group {
  if (folder.state === "working" || folder.state === "open" || folder.state === "away") return folder.state;
  return folder.state === "locked" && folder.attention === null ? "locked" : "attention";
}

/** In the order in which they stand on the Desk. */
export const GROUP_WORDS: Readonly<Record<Group, string>> = {
  working: say("under-way"),
  open: say("open-now"),
  attention: say("needs-you"),
  locked: say("locked"),
  away: say("away"),
};

export const VERB_WORDS: Readonly<Record<JobVerb, string>> = {
  lock: say("locking"),
  unlock: say("opening"),
  release: say("releasing"),
  check: say("checking"),
  reguard: say("changing-guard"),
  "put-back": say("putting-back"),
  insure: say("insuring"),
  repair: say("repairing"),
  merge: say("taking-files-from-copy"),
  renew: say("encrypting-anew-under-new-key"),
  clear: say("clearing-traces"),
  overwrite: say("overwriting-it"),
  remove: say("removing-for-good"),
  "hand-over": say("making-a-package"),
  receive: say("receiving-a-package"),
};

export const PHASE_WORDS: Readonly<Record<JobPhase, string>> = {
  queued: say("waiting-its-turn"),
  looking: say("looking-at-every-file"),
  sealing: say("encrypting"),
  "making-durable": say("making-it-safe-on-disk"),
  moving: say("taking-readable-copy-away"),
  overwriting: say("writing-random-bytes"),
  removing: say("removing-readable-copy"),
  restoring: say("decrypting-its-place"),
  checking: say("reading-and-verifying-every-byte"),
};
