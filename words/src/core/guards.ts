import { speaker } from "../speaker";

export const { say, said } = speaker("core/guards", {
  "looking-at-nothing-was-touched": "looking at {path}; nothing was touched",
  "putting-right-nothing-is-lost": "finishing what was cut off in {path}; nothing is lost",
  "working-on-nothing-is-lost": "working on {path}; nothing is lost",
  "is-not-protected-by-eremos": "{path} is not protected by Eremos. Nothing was touched.",
  "is-not-locked-now-nothing": "{path} is not locked now. Nothing was touched.",
  "this-renames-folder-and-this":
    "This renames the folder, and this account may not change the folder it lies in. Nothing was touched.",
  "changing-what-shows-locked-folder": "changing what shows of a locked folder; it is still locked",
  "files-kept-changing": "Files kept changing. Nothing is lost; close the program that writes there, and lock again.",
  "disk-filled-up-meanwhile-mb":
    "The disk filled up meanwhile: {free} MB are free. Nothing is lost; make room, and go on.",
  "part-this-folder-is-locked": "A part of this folder is locked already; sign in to lock the rest.",
  "folders-record-says-that-part": "The folder notes that a part of it is locked, and names none. Nothing was touched.",
  "keys-are-needed-for-and": "Keys are needed for {path}, and none were given. Nothing was touched.",
  "removing-plain-copy-sealed-copy":
    "removing the readable copy; the encrypted copy is whole and Eremos finishes at the next start",
  "locking-what-was-begun-could":
    "locking {path}; what was begun could not be undone either, which Eremos does as soon as the disk can be written again",
  "eremos-stopped-while-locking-file":
    "Eremos stopped while locking {path} file by file, because {because}. A part is locked, the rest is still readable, and nothing is lost. Lock it again to go on, or open it to get everything back.",
  "locking-everything-is-at-its": "locking; everything is at its place",
  "this-account-may-not-change": "This account may not change {path}. Nothing was touched.",
  "earlier-lock-this-folder-had":
    "An earlier lock of this folder had been cut off; it was undone and everything is at its place. Lock it again.",
  "is-locked-already-nothing-was": "{path} is locked already. Nothing was touched.",
  "was-protected-by-another-eremos": "{path} was protected by another Eremos. Nothing was touched.",
  "work-on-was-cut-off":
    "Work on {path} was cut off, and the note of it is not of this computer, so nothing was removed or moved. Finish it on the computer that began it, or bring everything out with `eremos rescue`.",
  "this-folder": "This folder",
  folder: "The folder",
  "program-has-open-for-writing":
    "A program has {shown} open for writing: one that can't be named from here, such as one in a container, one of another account, or one that reached it on another way. Nothing is lost, and what was not locked yet lies at its place; end that program and lock again.",
  "was-removed-for-good": "{path} was removed for good; nothing is left of it.",
  "another-folder-stands-at":
    "Another protected folder stands at {path} than the one that was to be removed. Nothing was touched; look at both.",
  "removing-goes-on-later":
    "removing {path} for good: what opens it is gone or about to go, and the rest is removed at the next start of Eremos",
  "is-not-open-now-nothing": "{path} is not open now. Nothing was touched.",
  releasing: "releasing",
  "disk-this-folder-lies-on":
    "The disk this folder lies on can't hold all of its names, permissions and attributes: they are in its encrypted copy alone, and would be lost with that. Nothing was touched; lock it, and move the locked folder to another disk.",
  "there-is-no-room-on":
    "There is no room on this disk to decrypt it beside its encrypted copy, which changing the guard of a locked folder needs. Nothing was touched; free some space, or open it first, choose, and lock it again.",
  "there-is-no-room-on-this":
    "There is no room on this disk for a second copy of it, and nothing is written under the key of somebody unknown. Nothing was touched; make room first, or bring its files out elsewhere with `eremos rescue`.",
  "opening-sealed-copy-is-whole": "opening; the encrypted copy is whole",
  "eremos-stopped-while-opening-file":
    "Eremos stopped while opening {path} file by file, because {because}. A part is readable, the rest is still locked, and nothing is lost. Open it again to go on, or lock it.",
  "is-ordinary-folder-there-is": "{path} is an ordinary folder; there is nothing to open.",
  "is-open-already-nothing-was": "{path} is open already. Nothing was touched.",
  is: "{first} is",
  are: "{damaged} are",
  "and-other-files-are": "{first} and {more} other files are",
  "damaged-in-encrypted-copy-nothing":
    "{names} damaged in the encrypted copy of {path}. Nothing was changed, and everything else is whole. If the folder is insured, repair it first; a check says which bytes are lost. Or go on with everything else: what is whole of a damaged file then stands under a name that says so.",
  "looking-at-file-is-whole": "looking at {path}; the file is whole",
  "file-that-lies-open-as":
    "The file that lies open as {path} is not there now. Nothing was touched; move it back and lock it, or release it.",
  "locking-file-is-whole": "locking {path}; the file is whole",
  "other-accounts-cant-be-allowed":
    "Other accounts can't be allowed more than this account. Nothing was touched; choose less for others, or more for this account.",
  "folders-guard-record": "note of how the folder is guarded",
  "this-folder-was-barred-or":
    "This folder was barred, or put out of sight, on another operating system, whose permissions say nothing here. Nothing was touched; its contents are not encrypted. Open it there.",
  "another-drive-is-mounted-inside":
    "Another drive is mounted inside ({path}). Nothing was touched; protect that drive's folder on its own.",
  "some-it-belongs-another-account":
    "Some of it belongs to another account, so its permissions can't be changed ({foreign}{hasForeign, select, true { and {more} more} other {}}). Nothing was touched; choose other rules, or seal the folder.",
  "locking-it-is-hidden-already":
    "locking; it is hidden already, its contents are untouched, and Eremos finishes when it next looks at it",
  "locking-its-contents-are-untouched": "locking; its contents are untouched",
  "opening-its-contents-are-untouched": "opening; its contents are untouched",
  "changing-how-folder-is-locked": "changing how the folder is locked; it stays locked",
  "out-sight-means-hidden-in":
    "Out of sight means hidden: in view, nothing would be protected. Nothing was touched; hide the folder in place, tuck it away, or choose another guard.",
  "belongs-another-account-so-its":
    "{path} belongs to another account, so its permissions can't be changed. Nothing was touched; choose another guard.",
  "is-sealed-now-nothing-was": "{path} is sealed now. Nothing was touched; open it first.",
  "is-and-does-not-become": "{path} is {word}, and does not become {other} without being opened. Nothing was touched.",
  "what-stands-at-is-now":
    "What stands at {path} is {word} now, and was {other} a moment ago. It may have been exchanged, so nothing was touched.",
  "bringing-its-place-it-is": "bringing {path} to its place; it is whole",
});
