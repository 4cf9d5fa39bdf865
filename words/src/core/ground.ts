import { speaker } from "../speaker";

export const { say, said } = speaker("core/ground", {
  "has-another-name":
    "{name} has another name elsewhere on this disk, which would lose its contents, too; it was left as it is.",
  "program-has-open": "A program has {name} open; it was left as it is. Close it there first.",
  "is-another-one-now": "{name} is not what it was when Eremos looked; it was left as it is.",
  "stopped-as-you-asked-everything": "Stopped, as you asked. Everything is as it was before.",
  "has-files-in-open-for":
    "{programs} has files in {path} open for writing. Nothing was touched; close them and lock again.",
  "that-is-not-full-path": "That is not a full path of a folder. Nothing was touched.",
  "folders-file-record": "note about the single file",
  "there-is-nothing-at-now": "There is nothing at {shown} now. Nothing was touched; check the path.",
  "is-not-folder-its-own":
    "{shown} is not a folder of its own (it is a file or a link). Nothing was touched; give the folder itself.",
  "system-does-not-let-this": "The system does not let this account into {shown}. Nothing was touched.",
  "looking-at-nothing-was-touched": "looking at {shown}; nothing was touched",
  "is-not-protected-by-eremos": "{path} is not protected by Eremos. Nothing was touched.",
  "there-is-something-called-eremos":
    "There is something called .eremos in {path} that is not Eremos' own. Nothing was touched; give it another name, then lock the folder.",
  "beginning-with-nothing-was-touched": "beginning with {path}; nothing was touched",
  "there-is-directory-called-eremos":
    "There is a folder called .eremos in {path} that is not Eremos' own (it holds {others}). Nothing was touched; give that one another name, then lock the folder.",
  "lies-where-disk-cant-read": "{name} lies where the disk can't read it.",
  "is-no-file-so-it": "{name} is no file, so it is not read: somebody has put something else in its place.",
  "and-more": "{shown} and {more} more",
  "there-is-another-protected-folder":
    "There is another protected folder inside ({list}). Nothing was touched; release that one first.",
  "another-drive-is-mounted-inside":
    "Another drive is mounted inside ({list}). Nothing was touched; lock that drive's folder on its own.",
  "some-it-lies-in-lower":
    "Some of it ({list}) lies in the lower layer of a layered file system, as a container or a live system has, and can't be moved. Nothing was touched; copy the folder, lock the copy, and delete the original.",
  "pipes-sockets-or-devices-cant":
    "Pipes, sockets or devices can't be locked ({list}). Nothing was touched; move them out first.",
  "this-account-could-not-remove":
    "This account could not remove the readable copy of everything inside: another account's folder, or the system's protection against changes, would keep {list}. Nothing was touched; move that out, or have its permissions changed, first.",
  "this-account-may-not-read":
    "This account may not read everything inside ({list}). Nothing was touched; change the permissions first.",
  "every-copy-is-damaged-or":
    "Every copy of the {what} is damaged or missing. Don't change anything in the folder; Eremos keeps what it can still read.",
  "something-is-already-being-done":
    "Something is already being done with {path}{hasHolder, select, true {, by {program} (process {pid}){isStopped, select, true {, which is stopped} other {}}} other {}}. Nothing was touched{isStopped, select, true {, and nothing is lost; let it go on (kill -CONT {pid}), or end it (kill -KILL {pid})} other {; wait for it to end}}.",
});
