import { speaker } from "../speaker";

export const { say, said } = speaker("server/locking", {
  "locking-it": "locking it; nothing of it was touched",
  "traces-not-cleared": "Its traces elsewhere were not cleared: {reason}",
  "clearing-its-traces": "clearing its traces; the folder is locked",
  "is-not-at-its-place":
    "{path} is not at its place now. Nothing was touched; if it is on a drive, connect the drive, and if it was moved, move it back.",
  "by-record-that-this-computer": "by a note that this computer did not write",
  "as-and-list-knows-it": "as {word}, and the list knows it as {listed}",
  "what-stands-at-is-protected":
    "What stands at {path} is protected {how}. It may have been exchanged, so nothing was touched. If it is yours, take it in anew under Ways back.",
  "protected-folders-belong-at-nothing":
    "{byPath} protected folders belong at {path}. Nothing was touched; say which by its id: {ids}.",
  "is-not-folder-that-eremos":
    "{pathOrId} is not a folder that Eremos protects. Nothing was touched; `eremos list` shows those it does.",
  "this-folder-has-password-its": "This folder has a password of its own, which is needed too. Nothing was touched.",
  "only-sealed-folder-can-have":
    "Only a sealed folder can have a password of its own: without encryption it would stop nobody. Nothing was touched.",
  "only-sealed-folder-has-copy": "Only a sealed folder has a copy of what was locked last. Nothing was touched.",
  "this-folder-does-not-lie":
    "This folder does not lie open now. Nothing was touched; visit it to see its earlier states.",
  "there-was-no-room-for":
    "There was no room for two copies when this folder was opened, so what was locked last is not kept beside it. Nothing was touched.",
  "that-is-not-path-inside": "That is not a path inside the folder. Nothing was changed.",
  "lies-in-which-is-protected": "{path} lies in {above}, which is protected already. Nothing was touched.",
  "is-locked-already-nothing-was": "{path} is locked already. Nothing was touched.",
  "another-folder-that-is-protected":
    "Another folder that is protected belongs at {path}, and is hidden or away now. Nothing was touched. Give this one another name, then lock it: both stay.",
  "which-is-protected-belongs-inside":
    "{path}, which is protected, belongs inside it. Nothing was touched; release that one first.",
  "no-other-protected-folder-belongs": "No other protected folder belongs at {path}. Nothing was touched.",
  "is-link-or-something-else":
    "{path} is a link, or something else than a folder or a file. Nothing was touched; give what it leads to.",
  "there-is-nothing-at-that":
    "There is nothing at {path} that can be seen without the master password. Nothing was touched; sign in to see whether a hidden folder belongs there.",
  "is-locked-and-hidden-already": "{path} is locked and hidden already. Nothing was touched.",
  "there-is-nothing-at-now": "There is nothing at {path} now. Nothing was touched; check the path.",
  "this-computer-has-no-note":
    "This computer has no note of {path} being open. Nothing was touched; sign in to lock it.",
  "this-folder-is-protected-already":
    "This folder is protected already; its own password is changed on its page, or with `eremos passwd PATH`. Nothing was touched.",
  "password-for-one-folder-is":
    "A password for one folder is needed on top of the master password. Nothing was touched; sign in first.",
  "is-protected-by-record-that":
    "{path} is protected by a note that this computer did not write. It may have been exchanged, so nothing was touched. If it is yours, take it in anew under Ways back.",
  "still-shows-what-it-had": " {stillOpenIn} still {isSealed, select, true {shows} other {has}} what it had open.",
  is: "{name} is {word}.",
  "it-is-called-now": "It is called {cover} now.",
  "its-contents-are-not-encrypted": "Its contents are not encrypted.",
  "its-contents-are-as-they": "Its contents are as they were, readable by whoever finds them.",
  "nothing-readable-is-left-at":
    "Nothing readable is left at its place but how to open it{noCover, select, true {} other {, and it is called {cover} now}}.",
  "files-have-second-name-outside":
    " {outsideLinks, plural, one {One file has} other {{outsideLinks} files have}} a second name outside the folder, which still shows its content.",
  "not-everything-its-earlier-states":
    " Not everything of its earlier states could be read, so nothing of them was removed; check it to see what.",
  "files-were-not-overwritten":
    " {notOverwritten, plural, one {One readable file} other {{notOverwritten} readable files}} could not be overwritten before {notOverwritten, plural, one {it} other {they}} went: a program had {notOverwritten, plural, one {it} other {them}} open, or the system refused.",
  "is-in-the-trash": "{path} is in Eremos'' trash. Nothing was touched; put it back first.",
  "is-not-in-the-trash": "{path} is not in Eremos'' trash. Nothing was touched.",
  "drive-does-not-go-into-trash":
    "A drive can''t go into the trash: it stays where it is mounted. Nothing was touched; what is on it can be removed for good.",
  "name-is-another":
    "The folder is called {name}, and something else was typed. Nothing was touched; type its name exactly.",
  "removed-for-good":
    "{name} is removed for good. Whoever has an older copy of the folder, and its password, can still open that.",
  "is-open-again-with-what":
    "{name} is open again, with what you chose as it was at its last lock. What was there instead is kept as an earlier state.",
  "is-open-again-as-it": "{name} is open again, as it was. Putting back did not work.",
  "one-entry-that-belonged-another":
    " One entry that belonged to another account is yours now, and did not get its special rights back.",
  "entries-that-belonged-other-accounts":
    " {withheld} entries that belonged to other accounts are yours now, and did not get their special rights back.",
  "and-more": "{damaged} and {more} more",
  "damaged-in-encrypted-copy-what":
    " Damaged in the encrypted copy: {named}. What is whole of {damaged, plural, one {it stands under a name that says} other {them stands under names that say}} so.",
  "disk-it-lies-on-cant":
    " The disk it lies on can't hold some permissions or attributes of files: they stay in the encrypted copy, and are back where they can be held.",
  "is-open-at-its-place": "{name} is open at its place",
  "with-permissions-it-had": "{where}, with the permissions it had.",
  "files-anybody-at-this-computer":
    "{where}: {files, plural, one {# file} other {# files}}, {bytes}.{damagedSentence}{withheldSentence}{heldSentence} Anybody at this computer can read it until you lock it again.{isFileByFile, select, true { There was no room for two copies, so no encrypted copy lies beside it while it is open.} other {}}",
  "is-ordinary-again": "{name} is an ordinary {kind} again",
  "it-stays-as-it-is": "{what}; it stays as it is now.",
  "with-permissions-it-had-2": "{what}, with the permissions it had.",
  "looking-at-folder": "looking at the folder",
  released:
    "{what}{isWhole, select, true {, exactly as it was} other {}}: {files, plural, one {# file} other {# files}}, {bytes}.{damagedSentence}{withheldSentence}",
  sealed: "{files, plural, one {# file} other {# files}}, {bytes}. {left}{links}",
  "name-is-gone-from-its-place":
    "Nothing readable is left at its place; with hidden files shown, a random name stands there.",
  "nothing-is-left": "Nothing is left at its place.",
});
