import { speaker } from "../speaker";

export const { say, said } = speaker("core/rescue", {
  "state-record-says-that-folder":
    "A note says that the folder lies open, and a later encrypted state of it is here, as when an older note was put back.",
  "state-record-says-that-folder-lies": "A note says that the folder lies open, and nothing lies readable in it.",
  "attributes-and-access-lists-files":
    "Attributes and access lists of files (they stand in the locked folder, and Eremos gives them back).",
  "owners-what-system-lets-nobody": "Owners: what the system lets nobody else own belongs to you.",
  "last-digits-times-they-are": "The last digits of times: they are right to the microsecond.",
  "special-permissions-set-user-id": "Special permissions (set-user-id, set-group-id, sticky).",
  "eremos-is-missing": ".eremos/{name} is missing.",
  "there-is-nothing-eremos-in":
    "There is nothing of Eremos in this folder. Choose the locked folder itself, the one that has a folder called .eremos in it.",
  "both-copies-this-folders-header":
    "Both copies of what says how this folder opens are damaged or gone, and without one no password opens it. Eremos keeps a third copy on the computer the folder was locked on.",
  "not-every-way-into-this": "Not every way into this folder that it names is there and whole.",
  "this-folder-has-password-its": "This folder has a password of its own, which is needed too. Nothing was touched.",
  "this-folder-was-locked-by":
    "This folder was locked by somebody unknown: neither its owner nor a computer of theirs stands behind its key. Whoever made it chose everything in it.",
  "last-lock-this-folder-was":
    "The last lock of this folder was not made by its owner, nor by a computer of theirs that is known. What is in it may be somebody else's choice.",
  epoch: "key {epoch}",
  "state-only-part-is-here":
    "Of state {number} only a part is here. What comes out is the newest that is here throughout (state {taken}).",
  "state-record-names-state-and":
    "The folder notes state {number}, and a later one that came from it is here throughout (state {taken}): as when a backup, or a program that keeps folders in step, has put an older note back. What comes out is the later one.",
  "last-locks-index-state-cant":
    "The list of files of the last lock (state {number}) can't be read. What comes out is an earlier state of the folder (state {taken}); what changed after it is missing.",
  "record-that-state-or-its":
    "What belongs to that state, or the list of its files, can't be read. Nothing was changed.",
  "no-index-this-folder-can":
    "No list of this folder's files can be read, so they were looked for in the encrypted data one by one. Links, empty files and empty folders are lost; files that were deleted before may be among them.",
  "key-this-folder-is-missing": "A key of this folder is missing, so what was locked with it can't be read.",
  "it-belongs-another-folder-or": "It belongs to another folder or state.",
  "its-index-is-not-one": "The list of its files is not the one it was made with.",
  "its-index-is-damaged": "The list of its files is damaged.",
  "list-what-it-consists-is": "The list of what it consists of is damaged.",
  "key-this-folder-is-missing-so": "A key of this folder is missing, so a part of it can't be read.",
  "in-eremos-packs-beginning-file": "In {path} the beginning of a file is damaged; files there may be missing.",
  "encrypted-file-is-missing": "An encrypted file is missing.",
  "encrypted-file-was-put-in": "An encrypted file was put in the place of another.",
  "missing-key": "missing key",
  "state-record-in-eremos-is": "The note of the folder's state is missing in .eremos; the newest whole state is taken.",
  "it-lies-under-name-another": "{path}: it lies under the name of another computer.",
  "nothing-was-brought-out-do":
    "{doubt} Nothing was brought out; do it only if you know who locked it (--accept unknown).",
  "what-is-encrypted-was-brought":
    "{contradiction} What is encrypted was brought out, and beside it what lies readable.",
  "bringing-files-out-locked-folder": "bringing files out; the locked folder is as it was",
  "bring-files-out-into-another":
    "Bring the files out to another place than the locked folder, not in it or around it. Nothing was touched.",
  "there-is-something-in-already":
    "There is something in {to} already. Nothing was touched; give an empty or a new folder.",
  "names-that-this-disk-cant":
    "Names that this disk can't hold, or not tell apart: they have another form here, with % in it (`eremos rescue` to another disk gives them back).",
  "something-else-was-put-in":
    "{names}: something else was put in the place of this folder meanwhile, so what belongs in it was left out.",
  "something-else-was-put-in-place": "{path}: something else was put in the place of its folder meanwhile.",
  "this-disk-cant-hold-it": "{path}: this disk can't hold it.",
  "that-is-no-name-file": "{path}: that is no name a file can have.",
  "link-which-this-disk-cant": "{names}: a link, to {target}, which this disk can't hold.",
  "second-names-one-file-each": "Second names of one file: each is a file of its own here, with the same content.",
  "something-else-has-taken-its": "{names}: something else has taken its name meanwhile, so it is called {free}.",
  "neither-file-folder-nor-link": "{names}: neither a file, a folder nor a link.",
  "files-bytes-them-damaged-are":
    "{files, plural, one {# file} other {# files}}, {bytes, number} bytes, {damaged, plural, =0 {all whole} other {{damaged} of them damaged}}, {files, plural, one {is} other {are}} in {to}.",
  "they-come-from-folders-packs": "They come from the encrypted data alone.",
  "damaged-with-zeros-where-nothing": "Damaged, with zeros where nothing can be read:",
  bytes: "  {path}: {ranges} of {size, number} bytes",
  "about-folder": "About the folder:",
  "not-given-back-here": "Not given back here:",
  "locked-folder-is-as-it": "The locked folder is as it was.",
  "bytes-2": "bytes {offset, number} to {last, number}",
  "and-more": " and {lost} more",
  "protected-but-its-records-are": "protected, but what Eremos noted in it is damaged",
  "not-encrypted": " (not encrypted)",
  "lies-open": "lies open",
  "has-password-its-own": "has a password of its own{noHint, select, true {} other { (hint: {hint})}}",
  "last-locked": "last locked {time}",
});
