import { speaker } from "../speaker";

export const { say, said } = speaker("core/handover", {
  "password-opens-no-package": "This password does not open the package. Nothing was changed; try again.",
  "is-no-package-of-this-version":
    "This is no package that this version can read, or its beginning is damaged. Nothing was changed; ask for it again.",
  "package-is-damaged-at":
    "The package is damaged from byte {from} of what is in it. Nothing was changed; ask for it again.",
  "nothing-to-hand-over-at": "There is nothing at {path}. Nothing was made.",
  "is-not-in-it-any-more": "Something that was chosen is not in the folder any more. Nothing was made; choose again.",
  "all-of-it-stays-out": "Nothing of it can go into a package. {path}: {reason}. Nothing was made.",
  "nothing-goes-in": "There is nothing in it that can go into a package. Nothing was made.",
  "looking-at-what-goes-in": "looking at what goes in; nothing was made",
  "making-a-package": "making the package; nothing was made, and what was to go in is as it was",
  "something-is-there": "There is something at {path} already. Nothing was made; choose another name.",
  "changed-while-it-was-handed-over":
    "{path} changed while it was read. Nothing was made; try again when no program changes it.",
  "ends-before-its-size": "A file of the folder ends before its size. Nothing was made; check the folder first.",
  "may-not-be-read": "this account may not read it",
  "is-a-link": "it is a link",
  "is-no-file": "it is no file",
  "is-another-drive": "another drive is mounted there",
  "waits-to-be-taken-in": "it was put in while the folder was locked, and waits: visit the folder first",
  "is-protected-itself": "it is protected itself",
  "nothing-to-receive-at": "There is no file at {path}. Nothing was changed.",
  "receiving-a-package": "receiving the package; nothing of it was kept, and the package is as it was",
  "too-many-entries": "There are more than a million entries in it. Nothing was kept of it; it is not taken out here.",
  "it-asks-for-a-password": "It is encrypted, and needs its password. Nothing was changed; give it, and try again.",
  "is-packed-in-another-way":
    "It is packed or encrypted in a way that is not known here. Nothing was kept of it; ask for it in another form.",
  "archive-is-damaged":
    "The package is damaged: a part of it is not as it was made. Nothing of it was kept; ask for it again.",
  "is-not-of-its-size":
    "A file in the package is not of the size it should have. Nothing of it was kept; ask for it again.",
  "no-room-for-what-is-in-it":
    "What is in it is more than the disk has room for. Nothing of it was kept; make room, or choose another place.",
  "is-no-name-to-take": "it has a name that leads elsewhere, or that no folder should have",
  "is-there-twice": "something of that name is in it already",
  "package-was-cut-off": "The package was cut off: its end is missing. Nothing was changed; get it again, all of it.",
});
