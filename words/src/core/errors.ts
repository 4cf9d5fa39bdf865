import { speaker } from "../speaker";

/** `doing` completes "while …", and may say behind a semicolon what is safe. */
export const { say, said } = speaker("core/errors", {
  "stopped-no-space": "The disk is full, so Eremos stopped while {doing}. Nothing is lost: make room and try again.",
  "stopped-no-permission":
    "Eremos stopped while {doing}, because {code, select, EROFS {the disk is read-only} other {the system refused access}}. Nothing is lost.",
  "stopped-unsupported":
    "Eremos stopped while {doing}, because a part of it can't be moved: it lies in the lower layer of a layered file system, as a container or a live system has, or on another one. Nothing is lost; copy the folder, lock the copy, and delete the original.",
  "stopped-io":
    "Eremos stopped while {doing} ({code}). Nothing is lost; try again, and check the disk if it happens twice.",
  "stopped-by-fault":
    "Eremos stopped while {part}, by a fault of its own. What was half done is finished or taken back when the folder is next looked at, and nothing is removed before that. The fault is noted in faults.log beside Eremos' own data, without names or paths.",
  damage:
    "{what} Nothing was changed, and what is whole comes out in any case: check the folder on its page, or bring its files out by one of the readers under Ways back.",
  "disk-is-full": "the disk is full",
  "disk-is-read-only": "the disk is read-only",
  "system-refused-access": "the system refused access",
  layered:
    "a part of it can't be moved: it lies in the lower layer of a layered file system, as a container or a live system has, or on another one",
  "fault-eremos-own-which-is": "of a fault of Eremos' own, which is noted in faults.log beside its own data",
  of: "of {code}",
  working: "working",
  "work-was-cut-off-nothing":
    "The work was cut off. Nothing is lost; Eremos finishes it, or takes it back, when the folder is next looked at.",
});
