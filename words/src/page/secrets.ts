import { speaker } from "../speaker";

export const { say, said } = speaker("page/secrets", {
  "this-folder-has-password-its": "This folder has a password of its own, needed on top of the master password.",
  "not-now": "Not now",
  "password-this-folder": "Password of this folder",
  "it-has-no-hint": "It has no hint.",
  hint: "Hint: {passwordHint}",
  "i-have-forgotten-it-use": "I have forgotten it: use the recovery code or shares",
  "use-folders-password": "Use the folder’s password",
  "use-recovery-code": "Use the recovery code",
  "use-keyholders-shares-any": "Use keyholders’ shares (any {threshold} of {count})",
  "folders-were-out-reach-at":
    "{folders, plural, one {One folder was} other {{folders} folders were}} out of reach at the last change, and what opened {folders, plural, one {it} other {them}} before still does. It is tried again by itself while you are signed in and {folders, plural, one {it is} other {they are}} there.",
  "no-camera-can-be-used":
    "No camera can be used here: there is none, or this page may not use it. Take a picture of the sheet instead, or type the groups.",
  "what-camera-sees": "What the camera sees",
  "hold-sheets-qr-code-before": "Hold the sheet’s QR code before the camera.",
  "turn-it-off": "Turn it off",
  "groups-look-again-something-is":
    "{wrong, plural, one {Group} other {Groups}} {groups}: look again, something is mistyped.",
  "recovery-code": "Recovery code",
  "eight-groups-five-from-your":
    "Eight groups of five, from your recovery sheet. Capitals, spaces and dashes don’t matter.",
  "present-master-password": "Present master password",
  "code-before-is-void":
    "Another code was shown before, and is void now: strike it out where you wrote it down. This is the one that counts.",
  "keep-your-recovery-code": "Keep your recovery code",
  "if-you-ever-forget-master":
    "If you ever forget the master password, this code opens all your folders. Whoever has it can open them too. It is shown only now.",
  "eremos-recovery-sheet": "Eremos recovery sheet",
  "eremos-recovery-code-it-opens":
    "Eremos recovery code, {toLocaleDateString}. It opens every folder of this owner without the master password. Letters I, L and O do not occur. Keep it with your papers.",
  "sheet-has-code-as-qr":
    "The sheet has the code as a QR code too, and how to use it without Eremos. Print it, then delete the file.",
  "save-sheet-pdf": "Save the sheet (PDF)",
  "print-it": "Print it",
  "i-have-it-on-paper": "I have it on paper",
  "shown-anybody-who-stands-at": "Shown to anybody who stands at the gate.",
  "it-stands-readable-in-folder": "It stands readable in the folder, for anybody who looks.",
  "same-again": "The same again",
  "two-are-not-same-yet": "The two are not the same yet.",
  "hint-optional": "Hint (optional)",
  "hint-that-gives-password-away": "{hintNote} A hint that gives the password away is refused.",
  "guessed-at-once": "Guessed at once",
  weak: "Weak",
  fair: "Fair",
  good: "Good",
  "very-good": "Very good",
  "time-guess-it-for-somebody":
    "Time to guess it, for somebody with {of, select, package {the package} other {your disk}}: {guessTime}.",
  "read-it-from-picture-sheet": "Read it from a picture of the sheet",
  "by-camera": "By the camera",
  "picture-sheet": "Picture of the sheet",
  "no-code-could-be-read":
    "No code could be read in that picture. Take it straight from above, in good light, or type the groups.",
  "is-it-really-on-paper": "Is it really on paper?",
  "type-two-groups-from-your": "Type two groups from your sheet. Capitals and spaces don’t matter.",
  group: "Group {group}",
  "show-code-again": "Show the code again",
  "making-your-keys": "Making your keys…",
  finish: "Finish",
  shares: "Shares",
  "are-here-more-are-needed":
    "{shares} of {threshold} are here; {missing, plural, one {one more is} other {{missing} more are}} needed.",
  "shares-are-here-enough": "{shares, plural, one {# share is} other {# shares are}} here: enough.",
  "first-share": "First share",
  "another-share": "Another share",
  "twelve-groups-five-from-keyholders": "Twelve groups of five, from a keyholder’s sheet.",
  "add-it": "Add it",
  "shares-that-are-here": "Shares that are here",
  share: "Share {numbers} of {count}",
  "share-2": "Share {i}",
  "take-share-away": "Take share {numbers} away",
});
