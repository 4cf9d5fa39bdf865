import { speaker } from "../speaker";

export const { say, said } = speaker("page/entrance", {
  "master-password": "Master password",
  "choose-your-master-password": "Choose your master password",
  "four-or-five-unrelated-words":
    "Four or five unrelated words are easier to remember, and harder to guess, than a short jumble.",
  "one-moment": "One moment…",
  "continue-recovery-code": "Continue to the recovery code",
  "or-put-files-in-without": "Or put files in, without opening it",
  "files-put-in": "Files to put in",
  "drop-files-here-or-choose":
    "Drop files here, or choose them. They are encrypted as they come; nobody can read them back until you sign in.",
  "choose-files": "Choose files…",
  "putting-them-in": "Putting them in…",
  "files-are-in-encrypted-originals":
    "{data, plural, one {# file is} other {# files are}} in, encrypted. The originals stay where they are.",
  "that-did-not-work-what": "That did not work. What was not put in is where it was; try again, or sign in first.",
  "page-could-not-be-loaded": "The page could not be loaded.",
  "eremos-does-not-answer": "Eremos does not answer",
  "try-again": "Try again",
  "recovery-code": "Recovery code",
  proof: "Proof",
  "every-locked-folder-carries-all": "Every locked folder carries all it needs.",
  "eremos-may-be-gone-or":
    "Eremos may be gone, or the computer: what is on the disk, and your password or your code, are enough to have everything back.",
  steps: "Steps",
  "i-have-folders-that-eremos": "I have folders that Eremos locked before, here or on another computer",
  "that-did-not-work-nothing": "That did not work. Nothing was written; try again.",
  "one-password-stands-between-your": "One password stands between your folders and everybody else.",
  "nobody-can-look-it-up":
    "Nobody can look it up or reset it, and neither can we. That is why the next step gives you a second way in.",
  "code-opens-everything-without-password": "The code opens everything without the password.",
  "keep-it-where-you-keep": "Keep it where you keep your papers, not on this computer. It is shown this one time.",
  "way-back-is-worth-something": "A way back is worth something only if it is there.",
  "so-we-ask-for-part": "So we ask for a part of it now, while nothing depends on it.",
  eremos: "Eremos",
  "new-master-password": "A new master password",
  "your-folders-stay-as-they": "{enoughWords} Your folders stay as they are.",
  "welcome-back": "Welcome back",
  "recovery-code-from-your-sheet":
    "The recovery code from your sheet is enough, or {threshold} of your keyholders’ shares.",
  "recovery-code-from-your-sheet-is": "The recovery code from your sheet is enough.",
  "with-neither":
    "{hasKeyholders, select, true {With neither the code nor enough shares} other {Without it}}, nobody can open what is sealed: not you, and not who made Eremos. Nothing is deleted, so look for the sheet first. What is only barred or out of sight is not encrypted, and can still be brought out, by the command “eremos rescue”.",
  "that-did-not-work-nothing-was": "That did not work. Nothing was changed.",
  "sign-in-see-your-folders": "Sign in to see your folders and open them.",
  "your-hint": "Your hint:",
  opening: "Opening…",
  wait: "Wait {wait}",
  "sign-in": "Sign in",
  "wrong-passwords-since-last-sign":
    "{failedTries, plural, one {# wrong password} other {# wrong passwords}} since the last sign-in. Each one makes the next wait longer.",
  "i-forgot-my-master-password": "I forgot my master password",
  "folders-lie-open":
    "{folders, plural, one {# folder} other {# folders}} {folders, plural, one {lies} other {lie}} open",
  "anybody-at-this-keyboard-can": "Anybody at this keyboard can read what lies open. Locking needs no password.",
  "folders-could-not-be-locked":
    "{left, plural, one {# folder} other {# folders}} could not be locked now. Sign in to see why.",
  locking: "Locking…",
  "close-up": "Close up",
  "nothing-here-says-what-you": "Nothing here says what you keep, or where.",
  "names-places-and-history-are":
    "Names, places and history are encrypted on this computer. The password is in nobody’s hands but yours.",
  "you-were-signed-out-because": "You were signed out because nobody touched the page. Your PIN leads back in.",
  pin: "PIN",
  "go-on": "Go on",
  "use-master-password-instead": "Use the master password instead",
});
