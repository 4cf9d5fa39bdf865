import { speaker } from "../speaker";

export const { say, said } = speaker("server/handover", {
  "package-is-made":
    "The package is at {path}: {files, plural, one {one file} other {# files}} in it, {size}. Give its password in another way than the package.",
  "opens-as-page": "It opens in any current browser.",
  "opens-as-zip": "It opens with any program for archives that knows AES-256.",
  "opens-as-folder": "It opens by the page beside it, in any current browser, and by Eremos.",
  "password-is-refused": "{refusal} Nothing was made.",
  "reader-name": "Open it here.html",
  "package-name": "Package",
  "paper-name": "password.pdf",
  "nothing-written-down-of-it":
    "Nothing is written down of that package any more. The package itself is where it was put.",
  "received-locked":
    "{files, plural, one {One file} other {# files}} received into {path}, which is locked: nothing of it was readable on the disk.",
  "received-readable": "{files, plural, one {One file} other {# files}} received into {path}, which is readable.",
  "was-weak":
    "The package was encrypted in the old weak way: whoever had it could open it without its password. Ask for another form next time.",
  "was-not-encrypted": "The package was not encrypted: whoever had it could read it.",
  "not-taken-out": "{left, plural, one {One entry was} other {# entries were}} not taken out. {path}: {reason}.",
  "stayed-out": "{left, plural, one {One thing stayed} other {# things stayed}} out of it. {path}: {reason}.",
  "that-is-the-master-password":
    "That is your master password: whoever gets the package would have it. Nothing was made; choose another one.",
  "that-is-no-path-inside": "That is no path inside the folder. Nothing was made.",
  "is-outside-places": "{path} is outside your places ({places}). Nothing was made; choose a path in one of them.",
  "lies-in-protected": "{path} would lie in {above}, which is protected. Nothing was made; choose a place outside it.",
});
