import { speaker } from "../speaker";

export const { say, said } = speaker("core/slot", {
  "is-not-file-nothing-it": "{file} is not a file. Nothing of it was put in; give files.",
  "putting-files-in-what-was": "putting files in; what was not put in is where it was",
  "what-stands-at-is-not":
    "What stands at {path} is not the folder that this computer locked there: it was exchanged, or belongs to another account. Nothing was put in; sign in to see what happened to it.",
  "is-not-sealed-now-nothing": "{path} is not sealed now. Nothing was touched; copy the files into the folder itself.",
  "more-was-sent-than-was": "More was sent than was announced. Nothing was put in.",
  "changed-while-it-was-put": "{name} changed while it was put in. Nothing of it was; try again when it is at rest.",
  "that-is-not-name-file": "That is not a name a file can have. Nothing was put in.",
  "there-is-not-enough-room": "There is not enough room for it where the folder lies. Nothing was put in.",
  "folder-was-opened-while-file":
    "The folder was opened while the file was on its way. Nothing of it was put in; do it again.",
  "file-that-was-put-in": "A file that was put in is not what it says.",
  "files-that-somebody-put-in":
    "{count, plural, one {A file} other {{count} files}} that somebody put in while it was locked could not be taken out. Nothing was touched; lock the folder, visit it, and take in or discard what was put in.",
  "folder-is-in-what-goes":
    "{path} is the locked folder itself, or lies in it or around it. Nothing was moved; give something else.",
  "nothing-to-move-at": "There is nothing at {path} now. Nothing of it was moved; check the path.",
  "is-being-changed": "a program is changing it; close that, and move it again",
  "is-protected-itself": "it is protected itself; release it first",
  "is-empty-folder": "it is an empty folder",
  "is-no-file": "it is a link, or something else than a file",
  "has-another-name": "it has a second name elsewhere, which would go on showing what is in it",
  "stays-whole": "something of it has to stay, so all of it does",
  "trash-has-no-name-left": "The trash has no name left for it. Nothing was moved; empty the trash.",
  "there-is-no-trash":
    "There is no trash on the disk of {path}. Nothing of it was moved; have the originals removed instead.",
  "trash-is-somebody-elses":
    "The trash there ({name}) belongs to another account. Nothing was moved; have the originals removed instead.",
  "is-another-drive": "another drive is mounted there",
});
