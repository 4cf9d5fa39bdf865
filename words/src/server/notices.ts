import { speaker } from "../speaker";

export const { say, said } = speaker("server/notices", {
  "telling-the-desktop": "telling the desktop",
  "a-folder": "A folder",
  "locked-by-itself": "{name} was locked by itself",
  "why-time": "Its time was up.",
  "why-idle": "Nobody had used it for a while.",
  "close-up-everything": "Lock everything that lies open",
  "why-let-go": "No program used it any more.",
  "why-after-stop": "It still lay open from before Eremos was stopped.",
  "why-asleep": "The computer went to sleep, or its screen was locked.",
  "left-open": "{name} should be locked by now",
  "these-hold-it":
    "It waits, since {programs} {count, plural, one {has} other {have}} files of it open. It is locked as soon as they are closed.",
  "keep-it-open": "Keep it open for half an hour",
  "wrong-tried":
    "{count, plural, one {A wrong password was tried} other {Wrong passwords were tried {count, number} times}}",
  "by-account":
    "{name, select, none {Eremos could not see by which account.} other {By the account {name}, while you were signed out.}}",
  "check-failed": "{name}: a check found damage",
  "repair-it": "Nothing was changed. The page says what is damaged and what brings it back.",
  "practice-is-due": "Try your recovery code again",
  "practice-why": "For half a year nobody has proven that it opens your folders. Practising changes nothing.",
  "while-it-was-quiet":
    "{count, plural, one {One thing happened} other {{count, number} things happened}} while it was quiet",
  "desk-tells": "The Desk tells what.",
  "open-the-desk": "Open the Desk",
  "folders-open":
    "{count, plural, =0 {Nothing lies open} one {One folder lies open} other {{count, number} folders lie open}}",
  "lock-this": "Lock {name}",
  "close-up": "Close up",
});
