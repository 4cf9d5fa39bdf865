import { speaker } from "./speaker";

export const { say, said } = speaker("cli", {
  "as-takes-page": "--as takes page, zip or folder. Nothing was made.",
  "hand-over-needs-to": "Say where the package is to be, with --to FILE. Nothing was made.",
  "password-of-the-package": "Password of the package",
  "password-of-the-package-or-words": "Password of the package (an empty one: five words are made)",
  "its-password-is": "Its password: {words}",
  "package-path": "the package's path",
  "receive-needs-to": "Say where what is in it is to be, with --to PATH. Nothing was received.",
  "it-can-not-be-called-back":
    "It can''t expire or be called back: whoever has it may try passwords for as long as they like.",
  "menu-takes-one-of":
    "This command takes what the menu asks for ({acts}), and what it is asked for. Nothing was done.",
  "passes-belong-to-clear": "--passes belongs to --clear. Nothing was cleared.",
  "csv-or-json": "Either --csv or --json. Nothing was done.",
  "since-takes-a-day": "--since takes a day, 2026-11-29, or a time of it, 2026-11-29T18:40; {since} is neither.",
  "nothing-has-happened": "Nothing is written down that this asks for.",
  "password-is-asked-at-terminal":
    "The password is asked at a terminal. Here there is none: give it with --password-stdin (first line of the input).",
  "share-nothing-these-are-all": "Share {shares} (nothing: these are all)",
  "same-again": "The same again",
  "two-are-not-same-nothing": "The two are not the same. Nothing was changed; try again.",
  "stopped-as-you-asked-nothing": "Stopped, as you asked. Nothing was touched.",
  "in-view": "in view",
  "hidden-in-place": "hidden in place",
  "tucked-away": "tucked away",
  "files-bytes-id": "{how}, {isEncrypting, select, true {{files} files, {bytes} bytes, } other {}}id {id}",
  "new-master-password": "New master password",
  "your-recovery-code-shown-this":
    "Your recovery code, shown this once. Write it down; it opens everything without the password:",
  "effort-takes-light-standard-or":
    "--effort takes light, standard or heavy. Nothing was touched; `eremos help` lists the commands.",
  "present-master-password": "Present master password",
  "master-password-is-changed-recovery": "The master password is changed. The recovery code stays as it is.",
  "these-folders-are-out-reach":
    "These folders are out of reach now and open with the old password until you sign in while they are there:",
  "path-or-id": "path or id",
  "new-password-this-folder-empty": "New password of this folder (empty: none)",
  "it-opens-with-master-password": "It opens with the master password alone now.",
  "it-opens-with-master-password-and":
    "It opens with the master password and its own together, or with the recovery code.",
  "no-folder-is-protected-yet": "No folder is protected yet. `eremos lock PATH` locks one.",
  "is-one": "--{name} is one of {choices}. Nothing was touched; `eremos help` lists the commands.",
  "hide-view-and-visibility-exclude":
    "--hide, --view and --visibility exclude one another. Nothing was touched; `eremos help` lists the commands.",
  "others-and-own-belong-guard":
    "--others and --own belong to --guard barred. Nothing was touched; `eremos help` lists the commands.",
  "cover-belongs-folder-that-stays":
    "--cover belongs to a folder that stays in view: hidden, it shows no name. Nothing was touched; `eremos help` lists the commands.",
  "hint-belongs-folder-password-here":
    "--hint belongs to --folder-password here. Nothing was touched; `eremos help` lists the commands.",
  "password-this-folder": "Password of this folder",
  "no-folder-lies-open": "No folder lies open.",
  locked: "{locked} locked.",
  "still-open": "Still open: {path}. {reason}",
  "mount-it-with": "Mount it with: {mountCommandOf}",
  "interrupt-this-command-ctrl-c": "Interrupt this command (Ctrl+C) to end the visit.",
  "visit-has-ended-what-was": "The visit has ended. What was changed is kept, encrypted.",
  "this-command-takes-locked-folder":
    "This command takes a locked folder and at least one file. `eremos help` lists the commands.",
  "copies-files-are-in-folder":
    "{count, plural, one {A copy of the file is} other {Copies of {count} files are}} in the folder, encrypted. Nobody but you, signed in, can read {count, plural, one {it} other {them}} back; the {count, plural, one {original stays where it is} other {originals stay where they are}}.",
  "minutes-takes-whole-number-from":
    "--minutes takes a whole number from 1 to {mostMinutes}. Nothing was touched; `eremos help` lists the commands.",
  "pieces-are-there-bytes-in":
    "{arrived} of {pieces} pieces are there ({bytes} bytes in all){isWhole, select, true {, each of them byte for byte what was locked.} other {.}}",
  bytes: "    bytes {from} to {until}",
  "say-which-folder-and-how": "Say which folder, and how much: {insurances} or none. `eremos help` lists the commands.",
  "takes-bytes-repairs-bytes-in":
    "takes {costs} bytes; repairs {burst} bytes in one place, or any {scattered} places of up to 4096",
  "not-insured": "Not insured.",
  "and-more": "    and {entries} more",
  "this-command-takes-one-path": "This command takes one path at most. `eremos help` lists the commands.",
  "eremos-is-at": "Eremos is at {address}",
  "open-in-your-browser": "Open {address} in your browser.",
  "taken-off-desktop-application-entry":
    "Taken off the desktop: the application entry, the start at log-in, and the context menu.",
  "added-application-entry-start-at":
    'Added: an application entry, the start at log-in, and "Lock with Eremos" in the context menu of common file managers.',
  serving: "serving",
  "does-not-belong-this-command": "--{first} does not belong to this command. `eremos help` lists the commands.",
  "this-command-takes-exactly-one": "This command takes exactly one {what}. `eremos help` lists the commands.",
  "this-command-takes-no-path": "This command takes no path. `eremos help` lists the commands.",
  "master-password": "Master password",
  "waiting-s-because-wrong-passwords": "Waiting {seconds} s because of wrong passwords before.",
  "wrong-passwords-since-last-sign":
    "{failedTries, plural, one {One wrong password} other {{failedTries} wrong passwords}} since the last sign-in.",
  "accept-takes-unknown-locked-by":
    "--accept takes unknown (locked by somebody unknown), older (an older state), fork (another state in its place), arriving (without a newer state that is still on its way), damaged (everything but damaged files) or costly (a password that takes more work than yours), each by itself. Nothing was touched; `eremos help` lists the commands.",
  "recovery-code": "Recovery code",
  "password-by-which-it-was-locked": "It was locked by somebody else. The password by which it opens",
  "password-this-folder-2": "Password of this folder{noHint, select, true {} other { (hint: {hint})}}",
  "no-password-this-folder-was": "No password of this folder was given. Nothing was touched.",
  "eremos-help-lists-commands": "{error}. `eremos help` lists the commands.",
  "there-is-no-command-eremos": 'There is no command "{name}". `eremos help` lists the commands.',
  working: "working",
  "looking-at-folder": "Looking at the folder",
  "making-it-durable": "Making it durable",
  "taking-plain-copy-away": "Taking the readable copy away",
  "removing-plain-copy": "Removing the readable copy",
  files: ", {files} of {filesTotal} files",
  "say-where-directory-empty-or":
    "Say where to: --to PLACE, an empty or a new folder on a disk with enough room. Nothing was touched; `eremos help` lists the commands.",
  "this-command-takes-one-folder": "This command takes one folder at most. `eremos help` lists the commands.",
  "new-master-password-is-set": "The new master password is set. Code and shares stay as they are.",
  "out-reach-now-and-opening":
    "Out of reach now, and opening with the old password until you sign in while it is there: {path}",
  "your-folders-are-listed-again":
    "{taken} of your folders are listed again{hasTaken, select, true {: {names}} other {}}.",
  "not-yet": "Not yet: {path}. {reason}",
  "eremos-has-master-password-on":
    "Eremos has a master password on this computer; it is what takes a folder in. If you have forgotten it, run `eremos recover` first. Nothing was changed.",
  "none-your-folders-was-found": "None of your folders was found there that the list did not have.",
  "in-list-again": "In the list again: {taken}.",
  "is-in-list-again-at": "{name} is in the list again, at {path}.",
  "its-records-are-whole-there": "Its notes are whole: there was nothing to repair.",
  "written-anew": "Repaired: {mended}.",
  "say-eremos-new-keys-or":
    "Say `eremos new-keys`, or `eremos new-keys go-on` for the folders that wait. Nothing was changed.",
  "no-new-keys-were-made": "No new keys were made so far. `eremos new-keys` makes them. Nothing was changed.",
  "your-new-recovery-code-shown":
    "Your new recovery code, shown this once. Write it down; the one before opens nothing that could be reached:",
  "under-way": "under way",
  "open-now": "open now",
  "it-has-password-its-own": "it has a password of its own: open it once",
  "not-done-yet": "not done yet",
  "encrypted-anew": "Encrypted anew: {anew}.",
  "still-opened-by-older-copy": "Still opened by an older copy, in earlier states that are kept: {older}.",
  "earlier-states": "{states, plural, one {# earlier state} other {# earlier states}}",
  "what-somebody-copied-before-opens": "What somebody copied before opens with what they know for ever.",
  "practice-opens":
    "{kind, select, code {The code opens} other {The shares open}} {folders, plural, one {the one sealed folder} other {all {folders} sealed folders}}. Nothing was changed.",
  "practice-fails":
    "{kind, select, code {The code does not open} other {The shares do not open}} {failed} of {folders}:",
  "protected-folders-found-in-directories":
    "{found, plural, one {1 protected folder} other {{found} protected folders}} found in {directories, number} folders{wasStopped, select, true {; stopped before the end} other {}}.",
  "not-looked-into-no-permission": "Not looked into (no permission, or the disk can't read it): {one}",
  "say-how-many-together-open":
    "Say how many together open, and who: eremos keyholders 2 Tomas Mirela Pavel. Nothing was changed.",
  "each-its-holder-and-nowhere": "Each to its holder, and nowhere else:",
  "any-together-open-everything-earlier":
    "Any {asked} of the {names} together open everything. Earlier shares open nothing that could be reached.",
  "as-before-until-it-is": "As before until it is opened or here again: {path}",
  "there-are-no-keyholders": "There are no keyholders.",
  "any-together-open": "Any {threshold} of {count} together open.",
  "they-were-named-on-another": "  They were named on another computer; their names are known there only.",
  "version-and-whether-it-runs": "Eremos {version}, {isRunning, select, true {running} other {not running}}.",
  "protected-and-open":
    "{protected, plural, =0 {Nothing is protected by this account.} one {One folder or file is protected by this account} other {{protected, number} folders and files are protected by this account}}{protected, plural, =0 {} other {{open, plural, =0 {; none of them lies open.} one {; one of them lies open.} other {; {open, number} of them lie open.}}}}",
  "eremos-hides-and-locks-private":
    "eremos: hides and locks private folders in place\n\n  eremos setup [--hint TEXT] [--effort light|standard|heavy]  choose the master password, and the work of each try; prints the recovery code\n  eremos new-keys [go-on] [--hint TEXT]\n                                      somebody knows the password or the code: new keys for you and every folder, contents encrypted\n                                      anew; go-on: for folders that were away or open\n  eremos passwd [PATH] [--hint TEXT]  change the master password, or a folder's own (set; an empty one takes it off)\n  eremos list                         the protected folders\n  eremos lock PATH... [choices]       lock folders, or open ones again (needs no password)\n  eremos new PATH... [choices]        a new private folder: locked before anything is in it (needs no password)\n  eremos close [PATH...]              lock every folder that lies open, or these (needs no password)\n  eremos unlock PATH-OR-ID...         open it at its place, until you lock it\n  eremos visit PATH-OR-ID [--minutes N]  serve it as a drive, nothing decrypted on disk, until interrupted\n  eremos drop PATH FILE...             put copies of files into a locked folder without opening it (needs no password)\n  eremos drop PATH FILE... --move      move files and folders into it: each original goes when what was put in is proven\n                                      (--trash: into the trash, where it stays readable until that is emptied)\n  eremos drop PATH --take-back         what was moved in goes back to where it was, as long as it waits there\n  eremos release PATH-OR-ID...        take protection off for good\n  eremos check PATH-OR-ID [--full]    verify the encrypted copy: its notes, the list of its files and a sample of them, or every byte\n  eremos check PATH --without-password  whether all its encrypted files are there, byte for byte, of which files nothing is told\n  eremos insure PATH [HOW]            what insurance against damage costs and survives; or choose: light, standard, strong, none\n  eremos repair PATH-OR-ID            find damage by the insurance and repair it, byte for byte\n  eremos recover                      forgot the master password: the recovery code, or keyholders' shares, set another one\n  eremos recover FOLDER               Eremos' data is gone: the owner comes out of one of their folders, and all that are found are listed again;\n                                      else: a folder that was moved, or that the list has lost, is taken in where it is now, or all in a place\n  eremos practice                     prove that the recovery code (or shares) opens every sealed folder; changes nothing\n  eremos keyholders [K NAME...]       the keyholders; or name them, any K of whom together open everything, and print their shares\n                                      (--of NAME: yours, as it is to stand on their sheets)\n  eremos mend PATH                    repair the notes of a sealed folder, from their copies or from Eremos' data\n  eremos scan PLACE                   look for protected folders below a place, hidden ones too, by what is on disk alone\n  eremos rescue FOLDER --to PLACE  bring everything out of a locked folder, whatever is damaged; changes nothing in it, needs no Eremos data\n  eremos onlooker PATH                what others see at a place right now\n  eremos activity [--folder PATH-OR-ID] [--since DATE]\n                                      what happened, the newest first: of all, of one folder, since a day (2026-11-29, or 2026-11-29T18:40); --csv: as a table\n  eremos traces [PATH-OR-ID]          what lies elsewhere on this desktop and tells of a folder: recent files, thumbnails, trash, histories\n  eremos traces [PATH-OR-ID] --clear KIND  clear what is found: a kind (recent, thumbnails, trash, bookmarks, shell, editors, office), several, or all\n                                      (--passes N: written over, and not to be put back)\n  eremos traces [PATH-OR-ID] --undo   put back what was cleared last; it is kept for seven days\n  eremos overwrite PATH... [--passes N]  write over files and folders with random bytes (1 pass, or 3) and remove them (needs no password)\n  eremos overwrite --free PLACE       write over the free space of the disk that a folder lies on\n  eremos remove PATH-OR-ID [--now]    a protected folder with what is in it: into Eremos'' trash, from where it can come back (--days N, 30 if not\n                                      said; --undo: back), or now and for good: its name is asked for, on a terminal or in the line behind the password\n                                      (--passes N: overwritten; --history: what is told of it in the activity goes, too)\n  eremos hand-over PATH-OR-ID --to FILE  a package for somebody else, with a password of its own (an empty one: five words are made and printed)\n                                      (--as page: one page that opens in any browser; zip: by AES-256, names stay readable but with --hide-names;\n                                      folder: a locked folder with its reader; --plain: of what lies readable, without the master password)\n  eremos receive FILE --to PATH       what is in somebody''s package, or in a ZIP, into a new folder, readable (needs no master password)\n                                      (--lock: into a new locked folder, with nothing of it ever readable on the disk)\n  eremos serve                        start the page on this computer\n  eremos page [PATH]                  show the page in the browser, at a folder; starts it where it does not run\n  eremos status                       its version, whether it runs, how many folders are protected and open (needs no password)\n  eremos integrate [--remove]         application entry, start at log-in, the file manager's menu and marks, or away with them\n\n  --json              one JSON document on standard output; messages go to standard error\n  --password-stdin    read the master password from the first line of standard input; further ones, as they are asked for, from the next lines\n  --path-stdin        the path is the first line of the input: words of a command line can be read by every account\n  - (as the path)     the same; lock, new, close, unlock and release take all the lines of it, behind the password, or with\n                      --null (-0) what NUL ends. Of several one line each, a list with --json, and the worst exit code\n  --folder-password   lock: ask for a password for this folder alone, needed on top of the master password (--hint TEXT for it)\n  --with-code         unlock, visit, release, check, passwd PATH: ask for the recovery code instead of the folder's own password;\n                      rescue, recover FOLDER: instead of any password\n  --with-shares       the same with keyholders' shares: one after the other, an empty one ends them\n  --code-stdin        rescue, recover, practice: the recovery code is the first line of standard input (a new password the second)\n  --shares-stdin      the same with shares, one a line, an empty line after them where a new password follows\n  --guard             lock: sealed (encrypted; the default), barred (the system refuses others) or sight (hidden only)\n  --visibility        lock: hidden (in place; the default), view or tucked (away); --hide and --view are short for two of them\n  --cover NAME        lock, in view: the name it shows while it is locked (an empty one: its own again)\n  --others, --own     lock --guard barred: what other accounts, and this one, may do: nothing, list, read, change, everything\n                      (usual: nothing, everything); what is not given stays as the folder had it\n  --minutes N         visit: ends after so long, used or not (else when nobody has used it for 15 minutes)\n  --anyway            lock, close: even though programs have files open for writing\n  --accept WHAT       unlock, visit, release: unknown (locked by somebody unknown), older (an older state than known), fork (another state in its place), arriving (without a newer state that is still on its way), damaged (everything but damaged files), costly (a password that takes more work than yours)\n\nPATH is always the folder's ordinary path, hidden or not.\nExit codes: 0 done, 2 wrong usage, 3 wrong password, 4 refused (nothing touched), 5 damage found, 6 interrupted or failed (data safe)\nSettings: EREMOS_PORT, EREMOS_ADDRESS (plain: for browsers without names below .localhost), EREMOS_DATA (where its own data is), EREMOS_PLACES (roots, separated by \":\"), EREMOS_SYNCED (synced folders, likewise)\n",
  "this-command-takes-paths":
    "This command takes paths or ids, one or more. Nothing was touched; `eremos help` lists the commands.",
  "is-locked-now": "{path} is locked.",
  "does-not-lie-open": "{name} does not lie open, as far as this computer knows. Nothing was touched.",
  "trash-belongs-to-move": "--trash belongs to --move. Nothing was moved; give both, or neither.",
  "in-trash-state": "in the trash",
  "name-of-folder": "Its name, to remove it for good",
  "now-or-undo": "Either remove it for good or put it back, not both at once. Nothing was touched.",
  "history-and-passes-belong-to-now":
    "--history and --passes belong to --now, and --days to the trash. Nothing was touched; `eremos help` lists the commands.",
  "days-takes": "--days takes a number from 1 to 365. Nothing was touched.",
  "in-the-trash":
    "{path} is in Eremos'' trash for {days, plural, one {1 day} other {{days} days}}, {isEncrypted, select, true {locked and encrypted} other {locked, and not encrypted}}. `eremos remove --undo` puts it back.",
  "is-back": "{path} is back where it was, locked.",
  "is-removed-for-good": "{path} is removed for good.",
  "free-stands-alone":
    "--free takes a place and nothing beside it. Nothing was touched; `eremos help` lists the commands.",
  "passes-takes-1-or-3": "--passes takes 1 or 3. Nothing was touched.",
  "clear-or-undo": "Either clear traces or put back what was cleared, not both at once. Nothing was changed.",
  "clear-takes": "--clear takes all, or {kinds}; it was given {unknown}. Nothing was changed.",
  "nothing-was-cleared":
    "Nothing that was cleared is kept, so there is nothing to put back. Nothing was changed; what is there now, eremos traces shows.",
  "so-many-cleared":
    "{cleared, plural, =0 {Nothing was cleared.} one {1 trace was cleared; it can be put back for seven days.} other {{cleared, number} traces were cleared; they can be put back for seven days.}}",
  "so-many-back": "{back, plural, one {1 list or file is} other {{back, number} lists and files are}} as before.",
  "writes-it-back":
    "{program} is running and may write back what it remembers when it ends: close it, then look again.",
  "so-many-traces":
    "{traces, plural, =0 {No traces were found.} one {1 trace was found:} other {{traces, number} traces were found:}}",
  "trace-in":
    "  {kind, select, recent {recent files} thumbnails {thumbnail} trash {trash} bookmarks {bookmark} editors {editor} office {office program} other {shell history}}, gives away {gives, select, name {a name} picture {a picture} other {the contents}}: {where}",
  "files-are-back":
    "{files, plural, one {1 file is} other {{files, number} files are}} back where {files, plural, one {it} other {they}} lay.",
  "files-are-moved-in":
    "{moved, plural, =0 {Nothing was moved in.} one {The file is in the folder, encrypted, and its original is {inTrash, select, true {in the trash, readable} other {gone}}.} other {# files are in the folder, encrypted, and their originals are {inTrash, select, true {in the trash, readable} other {gone}}.}}",
  "stays-where-it-is": "{path} stays where it is: {reason}.",
});
