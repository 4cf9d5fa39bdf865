import { speaker } from "../speaker";

export const { say, said } = speaker("core/traces", {
  "is-no-list-that-can-be-read":
    "It is not well-formed, so nothing in it is touched. The program that keeps it writes it anew the next time it has something to add.",
  "is-no-file-of-its-own":
    "It is a link, or no ordinary file, so nothing was looked for in it. Look yourself in what it leads to.",
  "has-other-names":
    "{path} has other names on this disk, which would go on holding what is cut out of it; it was left as it is.",
  "is-being-written":
    "A program is writing {path} right now; it was left as it is. Close the program, then look again.",
  "changed-meanwhile": "{path} was changed while Eremos was at it, so it was left as it is. Look again.",
  "clearing-a-trace": "clearing a trace; it was left as it is",
  "keeping-traces": "keeping what was to be cleared, so that it can be put back; nothing was cleared",
  "is-no-file-to-keep":
    "{path} is no file, folder or link, so it can''t be kept for putting it back; it was left as it is.",
  "kept-is-gone": "What was cleared is not kept any more, so it can''t be put back.",
  "kept-is-not-ours":
    "What was kept of the cleared traces is damaged, or Eremos did not write it, so it can''t be put back from there.",
  "putting-a-trace-back": "putting a trace back; it is still kept",
  "something-else-stands-there":
    "Something else stands at {path} now; it was left, and what was cleared is still kept.",
  "list-is-gone": "There is no list at {path} any more to put it into; it is still kept.",
  "is-no-list-to-put-into": "It is no list any more that something could be put into; it is still kept.",
  "is-not-sealed":
    "{path} is not sealed, so what is in it is not known by its contents. Nothing was changed; traces of its path are found all the same.",
  "no-room-to-keep":
    "Keeping what is to be cleared takes {needed, number} bytes, and {free, number} are free where Eremos keeps its data. Nothing was cleared; choose less, or clear it without keeping it.",
  "looking-for-traces": "looking for traces; nothing was changed",
});
