import { speaker } from "../speaker";

export const { say, said } = speaker("server/folders", {
  "traces-cleared":
    "{traces, plural, =0 {No trace} one {1 trace} other {{traces, number} traces}} of {name} {traces, plural, one {was} other {were}} cleared{isKept, select, true {, and can be put back for seven days} other {}}.",
  "traces-left": "{left, plural, one {One place was} other {{left, number} places were}} left: {reason}",
  "no-such-traces-are-kept":
    "Nothing is kept under that name, so there is nothing to put back. Nothing was changed; look under Traces for what is kept.",
  "is-outside-places":
    "{path} is outside the places Eremos looks at ({places}). Nothing was changed; open it in the file manager by its path.",
  "is-not-there-to-show": "{path} is not there now. Nothing was changed; look at the Desk for where it is.",
  "place-is-no-folder": "There is no folder at {place} now. Nothing was changed; name one that is there.",
  "nothing-was-moved-in":
    "Nothing that was moved into this folder on this computer waits in it. What does wait in it is safe: a visit shows it, and takes each file out.",
  "only-sealed-folder-has-encrypted":
    "Only a sealed folder has an encrypted copy to look after. Nothing was touched; this one's contents are ordinary files.",
  "is-whole-as-far-as":
    "{name} is whole as far as a sample tells: its notes, the list of its files, and {looked}, every byte of them checked.",
  "is-whole-every-byte-checked": "{name} is whole: {looked}, every byte checked.",
  "and-more": " and {damaged} more",
  "is-damaged-in-places-everything":
    "{name} is damaged in {damaged, plural, one {# place} other {# places}}: {shown}{more}. Everything else{isSample, select, true { that was looked at} other {}} is whole.",
  "and-more-ranges": " and {ranges} more {count, plural, =2 {range} other {ranges}}",
  bytes: "bytes {from, number} to {until, number}{rest}",
  "is-not-sealed-by-eremos":
    "{path} is not sealed by Eremos. Nothing was touched; one that is hidden is found by the path it has now.",
  "there-is-no-locked-folder":
    "There is no locked folder to be seen at {path}. Nothing was put in; a hidden folder must be opened or visited first.",
  "is-not-sealed-folder-yours":
    "{path} is not a sealed folder of yours, as far as Eremos on this computer knows. Nothing was put in.",
  "is-insured-it-takes-more":
    "{name} is insured: it takes {costs} more, and damage of up to {min} in one place is repaired.",
  "is-not-insured-any-more": "{name} is not insured any more.",
  "damaged-parts-were-repaired-byte":
    " {repaired, plural, one {One damaged part was} other {{repaired} damaged parts were}} repaired, byte for byte.",
  "beyond-repair-check-folder-see":
    " Beyond repair: {lost}. Check the folder to see which files that are; everything else comes out.",
  "damage-in-insurance-itself-was": " Damage in the insurance itself was repaired.",
  "nothing-is-damaged-in-that": "{name}: nothing is damaged in the {bytes} that are insured.",
  "comes-with-the-package":
    "This entry comes with the package that Eremos was installed by, for every account, and goes with it. Nothing was changed.",
  "is-there-already-and-not": "{path} is there already, and not by Eremos. Nothing was touched; move it away first.",
  "folder-whose-entry-is-damaged": "A folder whose entry is damaged",
  "its-entry-in-eremos-own":
    "Its entry in Eremos’ own data is damaged, so its name and place are not known here. The folder itself is not touched: look for it under Ways back, and take it in again.",
  "looking-at-it-nothing-was": "looking at it; nothing was touched",
  "what-opened-it-before-your":
    "What opened it before your last change of password, code or keyholders still does, since it could not be reached then. It is tried again by itself.",
  "its-last-check-found-damage": "Its last check found damage: see its page. What is whole comes out in any case.",
  "another-computer-locked-it-too": "Another computer locked it too. Both are kept.",
  "newer-state-is-arriving-from":
    "A newer state is arriving from another computer{hasPieces, select, true {: {arrived} of {pieces} pieces are here} other {}}.",
  "it-was-locked-on-another":
    "It was locked on another computer since. Opening it, or looking inside, brings that state.",
  "it-is-not-at-its": "It is not at its place: it was moved, renamed or deleted by something else.",
  "part-it-is-still-readable": "A part of it is still readable. Nothing is lost.",
  "its-record-says-that-it":
    "A note in it says that it lies open, and this computer did not open it. Nothing is lost: open it here to get everything back, whichever is true.",
  "last-operation-was-cut-off": "The last work on it was cut off. Nothing is lost.",
  "its-state-record-cant-be":
    "What state it is in can't be read. Don't change anything in it; repair its notes, on its page.",
  "readable-entries-could-not-be":
    "{remains, plural, one {One readable entry} other {{remains, number} readable entries}} could not be removed when it was locked, because the system did not allow it: {remains, plural, one {it lies} other {they lie}} in its .eremos folder, closed to other accounts.",
  "new-files-were-put-into":
    "{arrivals, plural, one {One new file was} other {{arrivals} new files were}} put into it while it was locked. {arrivals, plural, one {It is} other {They are}} readable until you open and lock the folder again.",
  "files-were-put-in-while":
    "{drops, plural, one {A file was} other {{drops} files were}} put in while it was locked, and {drops, plural, one {waits} other {wait}} encrypted. Visit it to see {drops, plural, one {it and take it} other {them and take them}} in.",
  "it-is-not-open-now": "It is not open now. Nothing was changed.",
  "you-put-it-on-this": "you put it on this list",
  "would-put-every-folder-off": "{path} would put every folder off limits. Nothing was changed.",
  "only-sealed-folder-is-visited":
    "Only a sealed folder is visited: this one's contents are ordinary files. Nothing was touched; open it in place.",
  "files-and-bytes": "{files, plural, one {# file} other {# files}}, {bytes}",
  "belongs-to-eremos": "{path} is a part of what Eremos keeps in a folder. Nothing was moved; give your own files.",
});
