import { speaker } from "../speaker";

export const { say, said } = speaker("page/settings", {
  "master-password": "Master password",
  "it-has-no-hint": "It has no hint.",
  "hint-at-gate": "Hint at the gate:",
  "change-it": "Change it…",
  "change-master-password": "Change the master password",
  "recovery-code-stays-as-it":
    "The recovery code stays as it is, and nothing is encrypted anew. Copies of folders made earlier go on opening with the present password.",
  "new-master-password": "New master password",
  "left-empty-one-you-have": "{atTheGate} Left empty, the one you have stays.",
  "master-password-is-changed-in": "The master password is changed, in every folder.",
  "master-password-is-changed-folders":
    "The master password is changed. {left, plural, one {# folder} other {# folders}} out of reach, named on this page: the old one still opens {left, plural, one {it} other {them}}.",
  "present-master-password": "Present master password",
  "not-now": "Not now",
  "change-it-2": "Change it",
  "in-file-manager": "In the file manager",
  "lock-with-eremos-and-open":
    "“Lock with Eremos”, “Open in Eremos” and “Overwrite and remove with Eremos…” in the context menu of common file managers. Locking asks for no password; the page asks before anything is overwritten.",
  "start-at-log-in": "Start at log-in",
  "what-crash-or-power-cut":
    "What a crash or a power cut left open is locked before anybody looks, and the page is there at once.",
  "among-applications": "Among the applications",
  "entry-that-starts-eremos-and": "An entry that starts Eremos and shows this page.",
  "taking-eremos-off": "Taking Eremos off this computer",
  "in-this-order": "In this order, nothing stays locked that you still want.",
  "release-what-is-protected":
    "{count, plural, =0 {No folder is protected: nothing has to be released.} one {Release the one folder that is protected: it becomes an ordinary one again.} other {Release the # folders that are protected: they become ordinary ones again.}} Or leave them locked: the recovery sheet and a reader open them without Eremos (Ways back).",
  "would-stay-locked": "These can't be released now, and would stay as they are: {names}. Bring them back first.",
  "release-so-many": "{count, plural, one {Release it…} other {Release all #…}}",
  "take-it-off-the-desktop": "Turn off all three under “On your desktop”, above.",
  "stop-it-and-delete":
    "Sign out, stop Eremos, and delete its own data ({data}) and the program. The list, the history and the settings are in there, and no file of yours.",
  "what-stays-then":
    "Keep the recovery sheet as long as any folder, any copy or any backup of one is still locked. Nothing else of Eremos stays on this computer.",
  "on-your-desktop": "On your desktop",
  light: "Light",
  standard: "Standard",
  heavy: "Heavy",
  "what-guessing-costs": "What guessing costs",
  "each-try-your-master-password":
    "Each try of your master password takes a while on purpose, whoever tries. The seconds are measured on this computer; a guesser with {machines, number} computers like it tries as many passwords as it says. Four words that don’t belong together outlast all of that; a single word does not.",
  details: "Details",
  "argon2id-with-mib-memory-and": "Argon2id, with {memoryKiB} MiB of memory and {passes} passes over it.",
  "how-much-work-each-try": "How much work each try is",
  "s-try-computers-about-tries": "{seconds} s a try. {machines, number} computers: about {millions} tries a day.",
  measuring: "Measuring…",
  "change-work-each-try": "Change the work of each try",
  "password-stays-same-copies-folders":
    "The password stays the same. Copies of folders made earlier keep the present effort.",
  million: "{round, number} million",
  "changed-in-every-folder": "Changed, in every folder.",
  "changed-folders-out-reach-named":
    "Changed. {left, plural, one {# folder} other {# folders}} out of reach, named on this page.",
  "usual-off-limits": "{count, plural, one {1 place is} other {{count, number} places are}} off limits from the start",
  "off-limits": "Off-limits",
  "places-that-cant-be-locked":
    "Places that can’t be locked, because the system or Eremos needs them, or because you said so. Folders that are locked already stay as they are.",
  "that-did-not-work-nothing": "That did not work. Nothing was changed.",
  "restore-defaults": "Restore the defaults",
  "another-path-or-pattern": "Another path or pattern",
  "full-path-stands-for-any": "A full path; * stands for any name, ** for any path.",
  "it-must-begin-with-slash": "It must begin with a slash.",
  "why-optional": "Why (optional)",
  "put-it-on-list": "Put it on the list",
  "take-off-list": "Take {path} off the list",
  "take-it-off-list": "Take it off the list",
  "pin-is-gone-idle-sign":
    "The PIN is gone. Signed out because nobody touched the page, you are asked for the master password.",
  "pin-is-set-until-you": "The PIN is set, until you sign out or Eremos stops.",
  pin: "PIN",
  "few-digits-that-lead-back":
    "A few digits that lead back in after the page signed out because nobody touched it. While one is set, such a sign-out leaves your keys in this computer’s memory. Three wrong ones, signing out yourself, or a stop of Eremos wipe keys and PIN; nothing of it is stored.",
  "another-pin": "Another PIN",
  "pin-for-this-session": "PIN for this session",
  "set-it": "Set it",
  "remove-it": "Remove it",
  "new-recovery-code-holds-in": "The new recovery code holds, in every folder.",
  "new-recovery-code-holds-folders":
    "The new recovery code holds. {left, plural, one {# folder} other {# folders}} still {left, plural, one {opens} other {open}} with the old one, named on this page.",
  "new-recovery-code": "A new recovery code",
  "present-code-holds-until-you":
    "The present code holds until you have proven that you kept the new one. Copies of folders made earlier go on opening with the old one: keep its sheet as safe as the new one.",
  "recovery-code": "Recovery code",
  "it-opens-everything-without-master":
    "It opens everything without the master password, also folders with a password of their own. It can’t be shown again, only replaced.",
  "keep-earlier-sheet-it-still":
    "Keep the earlier sheet: it still opens {withEarlierCode, plural, one {this folder, which has a password of its own} other {these folders, which have passwords of their own}}. At the next opening the new code takes over.",
  "new-code": "New code…",
  "show-me-new-code": "Show me the new code",
  dark: "Dark",
  "as-desktop": "As the desktop",
  settings: "Settings",
  "where-things-are": "Where things are",
  "eremos-own-data": "Eremos' own data",
  "set-when-eremos-is-started": "Set when Eremos is started, by EREMOS_DATA.",
  "this-eremos": "This Eremos",
  "version-and-kind":
    "{kind, select, system {{version}, installed by this system’s packages} portable {{version}, run from a directory of its own} other {{version}, run from its sources}}",
  "its-runtime": "Its runtime",
  "runtime-mended-until":
    "{state, select, mended {Node.js {node}; its makers mend faults in it until {until}} over {Node.js {node}; its makers have mended no faults in it since {until}: install a newer Eremos} other {Node.js {node}}}",
  look: "Look",
  theme: "Theme",
  "earlier-states": "Earlier states",
  "each-sealed-folder-keep": "Of each sealed folder, keep",
  "only-last-state": "only the last state",
  "last-state-and-before-it": "the last state and {number} before it",
  "encrypted-like-rest-each-takes":
    "Encrypted like the rest; each takes as much room as what changed since. A visit shows them, and puts back what you choose. What is beyond the number goes at the next lock or visit.",
  "checks-by-itself": "Checks by itself",
  "look-at-sample-each-sealed": "Look at a sample of each sealed folder",
  "every-day": "every day",
  "every-week": "every week",
  "every-month": "every month",
  "every-three-months": "every three months",
  "while-you-are-signed-in":
    "While you are signed in and nothing else is being done. Folders with a password of their own are checked from their pages only.",
  "when-folders-are-left-open": "When folders are left open",
  "forgetting-lock-is-normal-case":
    "Forgetting to lock is the normal case. A folder that lies open locks by itself, without a password:",
  "sign-out-when-page-was": "Sign out when the page was not touched for",
  hour: "an hour",
  never: "never",
  "key-is-gone-from-this": "The key is gone from this account. The next start asks for the master password.",
  "you-stay-signed-in-on": "You stay signed in on this account. What that changes stands in each folder’s table.",
  "stay-signed-in": "Stay signed in",
  "on-your-key-is-kept":
    "On: your key is kept in a file that only this account may read. Whoever uses this account, an administrator, and whoever holds this disk can open your folders, except those with a password of their own.",
  "off-each-start-asks-for":
    "Off: each start asks for the master password. Turned on, your key is kept in a file of this account, and who can read its files can open your folders: convenient on a computer that is yours alone and whose disk is encrypted, and nowhere else.",
  "turn-it-off": "Turn it off",
  "turn-it-on": "Turn it on…",
  "stay-signed-in-on-this": "Stay signed in on this account",
  "signing-out-yourself-still-asks":
    "Signing out yourself still asks for the master password, until the next start. It can be turned off at any time.",
  "named-where-eremos-is-started": "named where Eremos is started",
  places: "Places",
  "it-protects-in-these-places":
    "Eremos protects in these folders and below, finds things there, and looks nowhere else. What the system or a program needs stays off limits in them.",
  "add-it": "Add it",
  "another-place": "Another place",
  "always-or-as-started": "your own, or set where Eremos is started",
  "synced-directories": "Synced folders",
  "directories-that-another-program-uploads":
    "Folders that another program uploads. Eremos can’t tell them from others by itself: name them, and the Onlooker says what their provider sees, and nothing is tucked away in them.",
  "another-synced-directory": "Another synced folder",
  "name-it": "Name it",
});
