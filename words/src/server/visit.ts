import { speaker } from "../speaker";

export const { say, said } = speaker("server/visit", {
  "visit-has-ended-or-something":
    "The visit has ended, or something that was chosen is not there any more. Nothing was changed.",
  "something-that-was-chosen-is": "Something that was chosen is not there any more. Nothing was changed.",
  "that-is-not-path-inside": "That is not a path inside the folder. Nothing was changed.",
  "folder-it-is-in-is": "The folder it is in is not there any more. Nothing was changed.",
  "is-not-there-any-more": "{name} is not there any more. Nothing was changed.",
  "there-is-something-called-already":
    "There is something called {name} already. Nothing was changed; choose another name.",
  "that-folder-is-not-there": "That folder is not there any more. Go back to the one above it.",
  "that-cant-be-read-damaged":
    "{unreadable, plural, one {One} other {#}} that can't be read: damaged, or not made by Eremos",
  "no-program-opened-it":
    "The desktop has no program for it, or could not start it. Nothing was changed; the visit goes on, and the file can be downloaded.",
  "desktop-did-not-mount-it":
    "The desktop did not mount it ({failure}). Nothing was changed; the visit goes on, and the address can be given to any program.",
  "answering-nothing-was-changed": "answering; nothing was changed",
  "beginning-visit-nothing-was-touched": "beginning a visit; nothing was touched",
  "that-is-no-file": "That is no file. Nothing was changed; choose a file.",
  "changing-folder-it-is-as": "changing the folder; it is as it was",
  "making-change-folder-is-as": "making the change; the folder is as it was before it",
  "folder-itself-cant-be-replaced":
    "The folder itself can't be replaced by a file. Nothing was changed; give it another name.",
  "folder-it-belongs-into-is": "The folder it belongs into is gone. Nothing was changed.",
  "reading-sealed-folder-nothing-was": "reading the sealed folder; nothing was changed",
  "folder-cant-be-put-into": "A folder can't be put into itself. Nothing was changed.",
  "folder-cant-be-replaced-by": "A folder can't be replaced by something in it. Nothing was changed.",
  "this-folder-is-being-visited": "This folder is being visited already. Nothing was touched.",
  "visiting-folder-what-was-changed": "visiting the folder; what was changed is kept",
  "visit-has-ended-what-was": "The visit has ended. What was changed until then is kept.",
  "nothing-on-this-computer-mounts":
    "Nothing on this computer mounts such a drive by itself. Nothing was changed; give the address to a program.",
  "this-folder-is-not-being": "This folder is not being visited now. Nothing was changed.",
  "no-free-port-for-drive": "No free port was found for the drive. Nothing was touched; try again.",
});
