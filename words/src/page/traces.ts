import { speaker } from "../speaker";

export const { say, said } = speaker("page/traces", {
  traces: "Traces",
  "traces-elsewhere": "Traces elsewhere",
  "what-traces-are":
    "A folder is locked, and yet the desktop goes on naming and showing what is in it: in lists of recent files, small pictures, the trash, the histories of programs. Eremos finds what belongs to each folder, and clears exactly that.",
  "traces-are":
    "What other programs on this desktop remember of it: names, small pictures, copies in the trash. It stays while the folder is locked.",
  "nothing-protected-yet":
    "No folder is protected yet. Lock one on the Desk; what other programs remember of it is found here.",
  "look-for-traces": "Look for traces",
  "look-at-all": "Look for traces of all",
  "look-again": "Look again",
  "not-looked-yet": "Not looked for yet",
  "so-many-traces": "{traces, plural, one {1 trace was found.} other {{traces, number} traces were found.}}",
  "no-traces-were-found": "No traces were found in the places where Eremos looks.",
  "no-traces": "No traces found",
  "gives-away":
    "{count, plural, one {1, gives away} other {{count, number}, give away}} {gives, select, name {{count, plural, one {a name} other {names}}} picture {{count, plural, one {a picture} other {pictures}}} other {contents}}",
  "choose-all": "All",
  "choose-none": "None",
  "choose-kind": "Choose {kind}",
  "can-be-put-back": "Keep what is cleared for seven days, encrypted, so that it can be put back",
  "cant-be-put-back": "Nothing brings it back then.",
  "clear-chosen": "{chosen, plural, =0 {Clear} one {Clear 1 trace} other {Clear {chosen, number} traces}}",
  "and-more-of-them": "And {more, number} more.",
  "not-by-contents": "It is not sealed, so copies of what is in it are not looked for by their contents.",
  "looks-again-soon": "Eremos looks again in a minute: some programs write back what they remember.",
  "came-back":
    "{traces, plural, one {1 trace is} other {{traces, number} traces are}} back: a program had it in memory. Close the program, then clear again.",
  "programs-write-back":
    "{programs} {count, plural, one {is} other {are}} running, and may write back at the end what you clear now. Close {count, plural, one {it} other {them}} first, or clear again later.",
  "clear-by-itself": "Clear by itself after each lock",
  "clear-by-itself-all":
    "After each lock, Eremos clears these by itself, signed in or not, for folders without a choice of their own.",
  "clear-by-itself-one":
    "{isOwn, select, true {For this folder alone.} other {As for all folders; a choice here is for this folder alone.}} What is cleared can be put back for seven days.",
  cleared: "Cleared, and kept",
  "nothing-cleared": "Nothing that was cleared is kept.",
  "kept-line":
    "{traces, plural, one {1 trace} other {{traces, number} traces}}, kept {days, plural, one {1 more day} other {{days, number} more days}}",
  "put-back": "Put back",
  "is-back": "{back, plural, one {1 list or file is} other {{back, number} lists and files are}} as before.",
  "is-partly-back":
    "{back, plural, one {1 list or file is} other {{back, number} lists and files are}} as before, {left, plural, one {1 is} other {{left, number} are}} not: {reason}",
  "of-another-folder": "a folder that is not listed",
  "trace-recent": "Recent files",
  "about-recent": "Entries in the desktop’s list of the files that were opened last.",
  "trace-thumbnails": "Thumbnails",
  "about-thumbnails": "Small pictures of files, which stay when the file is locked away.",
  "trace-trash": "In the trash",
  "about-trash":
    "Whole files, readable until the trash is emptied. If you still need one, restore it into the folder first.",
  "trace-bookmarks": "Bookmarks",
  "about-bookmarks": "Places in the side of your file manager.",
  "trace-editors": "Editors",
  "about-editors": "Swap, undo and backup files hold what was in the file; lists name it. Close the editor first.",
  "trace-office": "Office programs",
  "about-office": "The list of the last documents. Close the program first: it writes its list when it ends.",
  "trace-shell": "Shell histories",
  "about-shell":
    "The lines that name the folder or something in it. A terminal that is open writes its own when it ends.",
  "trace-metadata": "Positions and emblems",
  "about-metadata":
    "A database of the file manager’s, out of which nothing can be cut. It may be deleted while no file manager runs; positions and emblems of all folders are lost then.",
  "trace-search": "Desktop search",
  "about-search":
    "A database of the desktop’s search or of its list of what you did. Its settings let it forget: have it look through everything anew while the folder is locked.",
  "trace-temporary": "Temporary files",
  "about-temporary": "Called like a file of the folder, or with the same contents. Look at each before you choose it.",
  "trace-exports": "Files that Eremos made",
  "about-exports":
    "Histories that you exported, which are readable and name the folder, and packages made of it, which are encrypted.",
  "trace-copies": "Readable copies",
  "about-copies":
    "Files in your places and the trash with the same contents as one in the folder, byte for byte. Some are meant to be there: look at each before you choose it.",
  "trace-leftovers": "Left by sync programs",
  "about-leftovers":
    "Second versions, parts and earlier versions under the name of a file of the folder. Look at each before you choose it.",
  "trace-snapshots": "Snapshots",
  "about-snapshots":
    "Earlier states of the whole disk, in which the folder lies readable. Whoever makes them removes them: an administrator, or the program for snapshots.",
  "trace-programs": "Programs",
  "about-programs": "They hold files of the folder open and can go on reading them. Close the program.",
  "by-name-only": "its name only",
  "looking-takes-a-while": "Looking through your places for copies takes a while.",
  "elsewhere-of": "{traces, plural, one {1 trace} other {{traces, number} traces}} of {name} elsewhere",
  "copies-elsewhere":
    "{copies, plural, one {1 readable piece of its contents lies} other {{copies, number} readable pieces of its contents lie}} elsewhere; whoever may read those needs no password.",
});
