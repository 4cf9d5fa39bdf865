import { speaker } from "./speaker";

export const { say, said } = speaker("reader", {
  "chosen-folder-itself": "the chosen folder itself",
  "there-is-nothing-eremos-in":
    "There is nothing of Eremos in what you chose. Choose the locked folder itself, or the one around it; a folder called .eremos must be in it.",
  "this-folder-is-not-encrypted":
    "This folder is not encrypted, only barred or out of sight: its files are in it as they are. If the system refuses them to you, rescue.mjs gives them their permissions back in a copy.",
  "any-one-line": "any {threshold} of {checks}, one a line",
  "no-keyholders-were-named-for": "no keyholders were named for this folder",
  "it-has-one-besides-master": "it has one besides the master password",
  "what-is-encrypted-can-be": "{contradiction} What is encrypted can be opened here.",
  "this-folder-was-open-or":
    "This folder was open, or on its way: its files lie readable in it, or in .eremos/staging. What was locked before can be opened here.",
  "it-is-locked-by-eremos": "It is locked by Eremos.",
  "share-is-right": "Share {number} is right.",
  "groups-look-again-something-is":
    "{wrong, plural, one {Group} other {Groups}} {groups} of {codeGroups}: look again, something is mistyped.",
  "open-it": "Open it",
  "something-went-wrong-here-locked": "Something went wrong here ({error}). The locked folder is as it was.",
  "what-is-in-it":
    "{files, plural, one {# file} other {# files}}, {size}.{hasPlace, select, true { It lay at {place}.} other {}}",
  "and-more-find-them-by": "and {matching, number} more; find them by name.",
  link: "{entry} (a link to {target})",
  "take-it-out": "Take it out",
  "take-out": "Take out {entry}",
  bytes: "bytes {offset, number} to {last, number}",
  "is-damaged-and-more-places":
    "{path} is damaged: {ranges}{hasLost, select, true { and {lost} more places} other {}} of {size, number} are zeros now. Everything else of it is whole.",
  "everything-is-taken-out-and": "Everything is taken out, and whole.",
  "everything-is-taken-out-files":
    "Everything is taken out; {damaged, plural, one {# file is} other {# files are}} damaged in part, as said below.",
  "rescue-mjs-gets-everything-out":
    "rescue.mjs: gets everything out of a folder that Eremos locked, without Eremos. Needs Node.js 20 or newer, and nothing else.\n\n  node rescue.mjs FOLDER --to PLACE   bring everything out of a locked folder; nothing in it is changed\n  node rescue.mjs scan PLACE              look for locked folders, hidden ones too\n\n  --password-stdin   the master password is the first line of standard input, the folder's own password, where it has one, the second\n  --code-stdin       the recovery code is the first line of standard input\n  --shares-stdin     keyholders' shares are the lines of standard input\n  --code             ask for the recovery code instead of the password\n  --shares           ask for keyholders' shares instead of the password\n  --accept unknown   although nobody known stands behind what was locked: whoever did it chose everything in it\n  --json             one JSON document on standard output\n\nFOLDER is the one that has a folder called .eremos in it, whatever its name is now.\nExit codes: 0 everything came out, 2 wrong usage, 3 wrong password or code, 4 refused, 5 some of it is damaged, 6 failed. The locked folder is as it was in every case.\n",
  "password-is-asked-at-terminal":
    "The password is asked at a terminal. Here there is none: give it with --password-stdin, the recovery code with --code-stdin, or shares with --shares-stdin.",
  "recovery-code": "Recovery code",
  "master-password": "Master password",
  "password-this-folder": "Password of this folder{noHint, select, true {} other { (hint: {hint})}}",
  "share-nothing-these-are-all": "Share {shares} (nothing: these are all)",
  "say-where-directory-empty-or":
    "Say where to: --to PLACE, an empty or a new folder on a disk with enough room. Nothing was touched; --help lists what there is.",
  "found-in-directories": "{found} found in {directories} folders.",
  "not-looked-into-no-permission": "Not looked into (no permission, or the disk can't read it): {one}",
  of: " of {filesTotal}",
  "help-lists-what-there-is": "{caught}. --help lists what there is.",
  "working-locked-folder-is-as": "working; the locked folder is as it was",
  "what-was-in-folder-links":
    "What was in the folder. Links, permissions and times stand here, because an archive of this kind does not hold them.",
  hint: "hint: {hint}",
  damage:
    "{what} The locked folder is as it was, and what is whole of it comes out in any case; try another copy of the folder for the rest.",
});
