import { speaker } from "../speaker";

export const { say, said } = speaker("core/contents", {
  "that-earlier-state-folder-is": "That earlier state of the folder is not kept any more. Nothing was changed.",
  "folders-index-is-not-one": "The list of the folder's files is not the one that this state was locked with.",
  "encrypted-file-is-not-one": "An encrypted file is not the one that was written here.",
  "folders-state-record-names-no":
    "The folder's note of its state names none that is here. Nothing was touched; don't change anything in the folder.",
  "folders-generation-record-belongs-another": "The note of a state of this folder belongs to another folder.",
  "newer-state-this-folder": "A newer state of this folder",
  "this-folder": "This folder",
  "it-is-not-latest-header": "it is not the latest that you or a computer of yours made",
  "this-folders-header": "What says how this folder opens",
  "owner-record-does-not-belong":
    "The note about the owner does not belong to the key that is signed in, so nothing is written with it. Nothing was changed; sign in again.",
  "this-folder-was-locked-by": "This folder was locked by another owner. Nothing was changed.",
  "nobody-known-stands-behind-this":
    "Nobody known stands behind what says how this folder opens, so it is not renewed. Nothing was changed; open the folder, if you know who locked it, and lock it anew.",
  "nobody-known-stands-behind-this-folder":
    "Nobody known stands behind this folder, so nothing of it is repaired. Nothing was changed; bring its files out with `eremos rescue`.",
  "this-folder-was-locked-by-somebody":
    "This folder was locked by somebody unknown: neither you nor a computer of yours that Eremos knows stands behind its key. Nothing was changed. Open it only if you know who locked it; nothing of yours is ever encrypted to that key.",
  "last-lock-this-folder-was":
    "The last lock of this folder was not made by you, by a computer of yours that Eremos knows, or by somebody whom you let change it. Nothing was changed; go on only if you know who locked it.",
  "this-folder-is-in-older":
    "This folder is in an older state than Eremos last locked (state {number}, expected {generation}), as after restoring a backup. Nothing was changed; go on if you know why.",
  "another-state-this-folder-is":
    "Another state {generation} of this folder is in the place of the one Eremos knows, as when two copies of it were locked apart. Nothing was changed; go on if you know why.",
  "record-what-was-sealed-is": "The note of what was encrypted is too short.",
  "disk-this-folder-lies-on":
    "The disk this folder lies on can't hold {what} ({name}). Nothing was opened and the encrypted copy is whole; move the locked folder to another disk and open it there.",
  "symbolic-links": "symbolic links",
  "one-file-under-two-names": "one file under two names",
  "name-this-length": "a name of this length",
  "two-names-that-differ-only": "two names that differ only in their case or in how an accent is written ({name})",
  "this-name": "this name ({name})",
  "file-this-size": "a file of this size",
  "attributes-this-entry": "the attributes of this entry ({name})",
  "disk-this-folder-lies-on-cant":
    "The disk this folder lies on can't hold {what}, which would be lost with the encrypted copy. Nothing was touched and the encrypted copy is whole; open it here without releasing it, with room for a second copy, or move the locked folder to another disk.",
  "permissions-became": "permissions ({mode} became {now})",
  "nobody-known-stands-behind-key":
    "Nobody known stands behind the key that lies in {path}: somebody has exchanged it while the folder lay open. Nothing was locked with it, and everything is at its place. Release the folder, and lock it anew.",
  "this-computer-has-no-record":
    "This computer has no note that {path} lies open, so it can't be locked while nobody is signed in. Nothing was touched; sign in first.",
  "header-in-is-not-one":
    "What says how {path} opens is not what this computer knows: somebody has exchanged it while the folder lay open. Nothing was locked, and everything is at its place. Sign in, release the folder, and lock it anew.",
  "this-folders-opening-was-cut":
    "This folder's opening was cut off, and the disk it lies on can't hold all of its names and permissions: those are known from its encrypted copy alone. Nothing was touched; sign in to lock it.",
  "this-folders-opening-was-cut-off":
    "This folder's opening was cut off, and nobody known stands behind the encrypted copy that lies in it, which alone tells its names and permissions. Nothing was touched; bring its files to another disk.",
  reading: "reading {name}",
  "kept-changing-while-it-was":
    "{shown} kept changing while it was being locked, so Eremos stopped. Everything is at its place; close the program that writes there and lock again.",
  "needs-at-least-free-on":
    "{doing} needs at least {megabytes} free on this disk (better {better}), and there are {free}. Nothing was touched; make room first.",
});
