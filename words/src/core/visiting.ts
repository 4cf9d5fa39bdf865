import { speaker } from "../speaker";

export const { say, said } = speaker("core/visiting", {
  "does-not-lie-open-so": "{path} does not lie open, so there is nothing to compare. Nothing was touched.",
  "comparing-folder-with-its-last": "comparing the folder with its last lock; nothing was touched",
  "it-is-not-there-any": "It is not there any more. Nothing was changed.",
  "folder-cant-be-moved-into": "A folder can't be moved into itself. Nothing was changed.",
  "folder-cant-be-copied-into": "A folder can't be copied into itself. Nothing was changed.",
  "there-is-folder-that-name": "There is a folder of that name. Nothing was changed.",
  "there-is-something-called-already": "There is something called {name} already. Nothing was changed.",
  "that-is-not-name-file":
    "That is not a name a file can have: one to 255 bytes, without a slash. Nothing was changed.",
  "has-no-such-state-any": "{path} has no such state any more. Nothing was changed.",
  "has-no-such-state-any-more": "{copy} has no such state any more. Nothing was changed.",
  "that-state-folder": "That state of the folder",
  "these-are-two-different-folders": "These are two different folders, not copies of one. Nothing was touched.",
  "taking-files-from-copy-folder": "taking files from the copy; the folder is as it was",
  "folders-index-gives-file-more": "The list of the folder's files gives one more data than it has.",
  "more-was-sent-than-was": "More was sent than was announced. Nothing was changed.",
  "less-was-sent-than-was": "Less was sent than was announced. Nothing was changed.",
  "is-not-sealed-now-so": "{path} is not sealed now, so there is nothing to visit. Nothing was touched.",
  "beginning-visit-nothing-was-touched": "beginning a visit; nothing was touched",
  "somebody-unknown-locked-this-folder":
    "Somebody unknown locked this folder, so nothing is put into it under their key. Nothing was changed; open it in place, and lock it anew.",
  "letting-other-state-go-folder": "letting the other state go; the folder is as it was",
  "making-change-folder-is-as": "making the change; the folder is as it was before it",
  "there-is-nothing-undo-nothing": "There is nothing to undo. Nothing was changed.",
  "taking-back-what-was-moved": "taking back what was moved in; what is not back yet is in the folder",
  "undoing-folder-is-as-it": "undoing; the folder is as it was",
  "stopped-as-you-asked-what":
    "Stopped, as you asked. What is encrypted anew so far stays so; the rest goes on opening with the earlier key until it is done, too.",
});
