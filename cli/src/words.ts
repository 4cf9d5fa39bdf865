import { parseArgs } from "node:util";

/**
 * What the words of a command line are. Nothing of Eremos is loaded here: whoever asks for help gets it at once.
 */
export const USAGE = `eremos: hides and locks private folders in place

  eremos setup [--hint TEXT] [--effort light|standard|heavy]  choose the master password, and the work of each try; prints the recovery code
  eremos new-keys [go-on] [--hint TEXT]
                                      somebody knows the password or the code: new keys for you and every folder, contents encrypted
                                      anew; go-on: for folders that were away or open
  eremos passwd [PATH] [--hint TEXT]  change the master password, or a folder's own (set; an empty one takes it off)
  eremos list                         the protected folders
  eremos lock PATH [choices]          lock a folder, or an open one again (needs no password)
  eremos close                        lock every folder that lies open (needs no password)
  eremos unlock PATH-OR-ID            open it at its place, until you lock it
  eremos visit PATH-OR-ID [--minutes N]  serve it as a drive, nothing decrypted on disk, until interrupted
  eremos drop PATH FILE...             put copies of files into a locked folder without opening it (needs no password)
  eremos release PATH-OR-ID           take protection off for good
  eremos check PATH-OR-ID [--full]    verify the sealed copy: its records, its index and a sample of its files, or every byte
  eremos check PATH --without-password  whether all its encrypted files are there, byte for byte, of which files nothing is told
  eremos insure PATH [HOW]            what insurance against damage costs and survives; or choose: light, standard, strong, none
  eremos repair PATH-OR-ID            find damage by the insurance and repair it, byte for byte
  eremos recover                      forgot the master password: the recovery code, or keyholders' shares, set another one
  eremos recover FOLDER               Eremos' data is gone: the owner comes out of one of their folders, and all that are found are listed again;
                                      else: a folder that was moved, or that the list has lost, is taken in where it is now, or all in a directory
  eremos practice                     prove that the recovery code (or shares) opens every sealed folder; changes nothing
  eremos keyholders [K NAME...]       the keyholders; or name them, any K of whom together open everything, and print their shares
                                      (--of NAME: yours, as it is to stand on their sheets)
  eremos mend PATH                    write damaged records of a sealed folder anew, from their copies or from Eremos' data
  eremos scan PLACE                   look for protected folders below a place, hidden ones too, by what is on disk alone
  eremos rescue FOLDER --to DIRECTORY bring everything out of a locked folder, whatever is damaged; changes nothing in it, needs no Eremos data
  eremos onlooker PATH                what others see at a place right now
  eremos serve                        start the page on this computer
  eremos page [PATH]                  show the page in the browser, at a folder; starts it where it does not run
  eremos integrate [--remove]         application entry, start at log-in, and the file manager's context menu, or away with them

  --json              one JSON document on standard output; messages go to standard error
  --password-stdin    read the master password from the first line of standard input; further ones, as they are asked for, from the next lines
  --path-stdin        the path is the first line of the input: words of a command line can be read by every account
  --folder-password   lock: ask for a password for this folder alone, needed on top of the master password (--hint TEXT for it)
  --with-code         unlock, visit, release, check, passwd PATH: ask for the recovery code instead of the folder's own password;
                      rescue, recover FOLDER: instead of any password
  --with-shares       the same with keyholders' shares: one after the other, an empty one ends them
  --code-stdin        rescue, recover, practice: the recovery code is the first line of standard input (a new password the second)
  --shares-stdin      the same with shares, one a line, an empty line after them where a new password follows
  --guard             lock: sealed (encrypted; the default), barred (the system refuses others) or sight (hidden only)
  --visibility        lock: view (the default), hidden (in place) or tucked (away); --hide and --view are short for two of them
  --cover NAME        lock, in view: the name it shows while it is locked (an empty one: its own again)
  --others, --own     lock --guard barred: what other accounts, and this one, may do: nothing, list, read, change, everything
                      (usual: nothing, everything); what is not given stays as the folder had it
  --minutes N         visit: ends after so long, used or not (else when nobody has used it for 15 minutes)
  --anyway            lock, close: even though programs have files open for writing
  --accept WHAT       unlock, visit, release: unknown (locked by somebody unknown), older (an older state than known), fork (another state in its place), arriving (without a newer state that is still on its way), damaged (everything but damaged files), costly (a password that takes more work than yours)

PATH is always the folder's ordinary path, hidden or not.
Exit codes: 0 done, 2 wrong usage, 3 wrong password, 4 refused (nothing touched), 5 damage found, 6 interrupted or failed (data safe)
Settings: EREMOS_PORT, EREMOS_ADDRESS (plain: for browsers without names below .localhost), EREMOS_DATA (data directory), EREMOS_PLACES (roots, separated by ":"), EREMOS_SYNCED (synced directories, likewise)
`;

const OPTIONS = {
  json: { type: "boolean", default: false },
  "path-stdin": { type: "boolean", default: false },
  "password-stdin": { type: "boolean", default: false },
  hide: { type: "boolean", default: false },
  view: { type: "boolean", default: false },
  anyway: { type: "boolean", default: false },
  accept: { type: "string", multiple: true },
  remove: { type: "boolean", default: false },
  "folder-password": { type: "boolean", default: false },
  "with-code": { type: "boolean", default: false },
  "code-stdin": { type: "boolean", default: false },
  "with-shares": { type: "boolean", default: false },
  "shares-stdin": { type: "boolean", default: false },
  full: { type: "boolean", default: false },
  "without-password": { type: "boolean", default: false },
  to: { type: "string" },
  of: { type: "string" },
  hint: { type: "string" },
  minutes: { type: "string" },
  effort: { type: "string" },
  cover: { type: "string" },
  guard: { type: "string" },
  visibility: { type: "string" },
  others: { type: "string" },
  own: { type: "string" },
  help: { type: "boolean", short: "h", default: false },
} as const;

const parse = (words: readonly string[]) => parseArgs({ args: [...words], allowPositionals: true, options: OPTIONS });

/** @throws TypeError, in words, for a flag that there is not */
export function parseWords(words: readonly string[]): ReturnType<typeof parse> {
  return parse(words);
}

/** Whether somebody asks what there is to ask for: no command at all, `help`, or `--help` beside any. */
export function asksForHelp(words: readonly string[]): boolean {
  try {
    const { values, positionals } = parseWords(words);
    return values.help || (positionals[0] ?? "help") === "help";
  } catch {
    return false;
  }
}
