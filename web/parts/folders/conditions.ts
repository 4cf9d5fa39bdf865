import type { FolderView, JobPhase, JobVerb } from "@eremos/server/contract";
import { protectionWords } from "./protections";
import type { DoorwayState } from "@/ui/doorway";

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
      return "Open";
    case "working":
      return "Working";
    case "partly":
      return "Partly locked";
    case "interrupted":
      return "Cut off";
    case "missing":
      return "Not at its place";
    case "away":
      return "Away";
    case "damaged":
      return "Damaged";
    case "locked":
      return "Locked";
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
  working: "Under way",
  open: "Open now",
  attention: "Needs you",
  locked: "Locked",
  away: "Away",
};

export const VERB_WORDS: Readonly<Record<JobVerb, string>> = {
  lock: "Locking",
  unlock: "Opening",
  release: "Releasing",
  check: "Checking",
  reguard: "Changing the guard",
  "put-back": "Putting back",
  insure: "Insuring",
  repair: "Repairing",
  merge: "Taking files from a copy",
  renew: "Encrypting anew, under a new key",
};

export const PHASE_WORDS: Readonly<Record<JobPhase, string>> = {
  queued: "Waiting its turn",
  looking: "Looking at every file",
  sealing: "Encrypting",
  "making-durable": "Making it safe on the disk",
  moving: "Taking the readable copy away",
  removing: "Removing the readable copy",
  restoring: "Decrypting to its place",
  checking: "Reading and verifying every byte",
};
