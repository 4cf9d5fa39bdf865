import { speaker } from "../speaker";

export const { say, said } = speaker("core/upkeep", {
  "is-not-sealed-by-eremos": "{path} is not sealed by Eremos. Nothing was touched.",
  "nobody-known-stands-behind-this":
    "Nobody known stands behind this folder, or its last lock, so what belongs to it can't be told without a key. Nothing was changed; sign in, and check it.",
  "not-encrypted-file-that-was": "not the encrypted file that was written here",
  "is-not-protected-by-eremos": "{path} is not protected by Eremos. Nothing was touched.",
  "is-not-open-now-nothing": "{path} is not open now. Nothing was touched.",
  "closing-other-accounts-its-contents": "closing {path} to other accounts; its contents are untouched",
  "looking-at-it-nothing-was": "looking at it; nothing was touched",
  "what-it-lies-on-does":
    "What it lies on does not answer. Nothing was touched; it is looked at again as soon as that answers.",
  "looking-at-it": "looking at it",
  "nobody-known-stands-behind-any":
    "Nobody known stands behind anything that says how this folder opens, so nothing of that is written anew. Nothing was changed; bring its files out with `eremos rescue`.",
  header: "the note of how it opens",
  "state-record": "the note of what state it is in",
  "no-state-this-folder-has":
    "No state of this folder is noted whole, with a whole list of its files, so it can't be repaired in place. Nothing more was changed; bring its files out with `eremos rescue`.",
  "list-its-encrypted-files": "the list of its encrypted files",
  "record-key": "a key of it",
  "mending-folders-records-its-contents": "repairing the folder's notes; its contents are as they were",
  "beginning-encrypted-file": "the beginning of an encrypted file",
  "record-state": "what belongs to state {number}",
  "on-their-way-in-or": "on their way in or out",
  "state-record-is-lost-and":
    "What state {path} is in is noted nowhere any more, and readable files lie in it ({beside}). Eremos can't tell whether they are newer than the encrypted ones, so it leaves both. Bring everything out with `eremos rescue`.",
  "system-needs-it": "the system needs it",
  "it-holds-everybodys-folders": "it holds everybody's folders",
  "it-is-your-home-lock": "it is your home; lock the folders inside it",
  "your-desktop-needs-it": "your desktop needs it",
  "eremos-itself-runs-from-there": "Eremos itself runs from there",
  "eremos-keeps-its-own-data": "Eremos keeps its own data there",
  "it-is-whole-disk": "it is the whole disk",
  "it-is-one-your-places": "it is one of your places; lock the folders inside it",
  "it-contains": "it contains {path}: {reason}",
  "cant-be-locked-nothing-was": "{shown} can't be locked: {why}. Nothing was touched.",
  "is-outside-places-eremos-may": "{shown} is outside the places Eremos may protect ({places}). Nothing was touched.",
  "does-not-lie-open-so":
    "{path} does not lie open, so its permissions can't be compared. Nothing was touched; open it first.",
  "comparing-folders-permissions-its-contents": "comparing the folder's permissions; its contents were not touched",
  "system-does-not-let-this": "the system does not let this account change it",
  "it-belongs-account-and-only": "it belongs to account {uid}, and only an administrator may give it back",
  "repairing-folder-from-its-insurance": "repairing the folder from its insurance; what was whole still is",
  "something-is-at":
    "There is something at {path} already. Nothing was touched; choose another name, or lock what is there.",
  "no-folder-to-lie-in": "{parent}, where it is to lie, is no folder that is there. Nothing was made; check the path.",
  "making-folder": "making {path}; nothing was made",
});
