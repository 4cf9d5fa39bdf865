import { speaker } from "../speaker";

export const { say, said } = speaker("core/handover", {
  "password-opens-no-package": "This password does not open the package. Nothing was changed; try again.",
  "is-no-package-of-this-version":
    "This is no package that this version can read, or its beginning is damaged. Nothing was changed; ask for it again.",
  "package-is-damaged-at":
    "The package is damaged from byte {from} of what is in it. Nothing was changed; ask for it again.",
  "nothing-to-hand-over-at": "There is nothing at {path}. Nothing was made.",
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
  "is-protected-itself": "it is protected itself",
  "package-was-cut-off": "The package was cut off: its end is missing. Nothing was changed; get it again, all of it.",
});
