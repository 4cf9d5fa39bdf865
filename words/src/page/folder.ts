import { speaker } from "../speaker";

export const { say, said } = speaker("page/folder", {
  history: "History",
  desk: "Desk",
  "this-folder-is-not-protected": "This folder is not protected",
  "it-may-have-been-released":
    "It may have been released since, or the address belongs to another owner’s Eremos. Nothing was touched.",
  "back-desk": "Back to the Desk",
  "there-is-no-room-on":
    "There is no room on this disk for the encrypted copy beside the open one. Opening goes file by file: nothing can get lost, but while it is open you can't put it back as it was at the last lock.",
  "from-file-manager": "From the file manager",
  "you-came-from-file-manager":
    "You came from the file manager. {isFile, select, true {Opened, the file shows in its program.} other {Opened, the folder shows there again, with its files in it.}}",
  "open-and-show": "{isFile, select, true {Open it in its program} other {Open and show it there}}",
  "show-on-desk": "Show on the Desk",
  "it-lies-open-at-its":
    "It lies open at its place: anybody at this computer can read and change it until you lock it. Changes are kept when you do.",
  "its-drive-is-away-or":
    "Its drive is away, or the folder it lies in is. It comes back by itself with it, at another path too.",
  "something-is-being-done-with": "Something is being done with it right now.",
  "is-at-its-place": "is at its place",
  "stands-at-its-place-as": "stands at its place as {cover}",
  "has-no-name-at-its": "has no name at its place",
  "is-tucked-away-and-nothing": "is tucked away, and nothing is left at its place",
  "it-and-system-refuses-what":
    "It {where}, and the system refuses what you ruled out. Its contents are not encrypted. Opening gives back the permissions there were.",
  "it-its-contents-are-not":
    "It {where}. Its contents are not encrypted: whoever finds it can read them. Opening brings it back at the same path.",
  "it-is-locked-and-its":
    "It is locked, and its name is gone from its place. Opening it brings the same files back at the same path.",
  "it-is-locked-and-tucked":
    "It is locked and tucked away: nothing is left at its place. Opening it brings the same files back at the same path.",
  "it-is-locked-in-view":
    "It is locked in view: it {where}, and shows only how to open it. Opening it brings the same files back.",
  "change-it": "Change it",
  "while-it-is-locked": "While it is locked",
  "what-you-choose-holds-from": "What you choose holds from its next lock on.",
  seal: "Seal {name}?",
  "take-encryption-off": "Take the encryption off {name}?",
  "seal-it": "Seal it",
  "every-file-is-read-and":
    "Every file is read and encrypted, which takes a while for a large folder. Until that is done no other account gets in; cut off half way, it is finished when Eremos next starts.",
  "files-are-decrypted-disk-and":
    "{files, plural, one {# file} other {# files}}, {bytes}, {files, plural, one {is} other {are}} decrypted to the disk, and the folder is",
  "then-no-other-account-gets":
    "then. No other account gets in meanwhile; cut off half way, it is finished when Eremos next starts.",
  "after-that-it-is-not":
    "After that it is not encrypted: an administrator, or whoever holds the disk, can read it.{hasPassword, select, true { It has no password of its own any more.} other {}}",
  state: "State",
  guard: "Guard",
  kind: "Kind",
  "single-file": "a single file",
  "drives-contents": "a drive’s contents",
  holds: "Holds",
  "not-encrypted-so-not-counted": "not encrypted, so not counted",
  files: "{files, plural, one {# file} other {# files}}",
  "not-known-yet": "not known yet",
  protected: "Protected",
  "last-locked": "Last locked",
  "last-opened": "Last opened",
  "ways-back": "Ways back",
  "on-disk-as": "On the disk as",
  "not-tried-yet": "not tried yet",
  tried: "tried",
  "master-and-own-password-together":
    "{count}: {hasPassword, select, true {master and own password together} other {master password}}; recovery code,",
  "keyholders-shares": "; keyholders’ shares,",
  release: "Release",
  remove: "Remove",
  "with-what-is-in-it": "With everything in it: into Eremos’ trash, from where it can come back, or for good.",
  "takes-protection-off-for-good":
    "Takes the protection off for good. The folder is an ordinary one again, exactly as it was.",
  "other-state-is-let-go": "The other state is let go.",
  "locked-on-two-computers-at": "Locked on two computers at once",
  "program-that-keeps-this-folder":
    "A program that keeps this folder in step between computers found it locked on both, and kept the other computer’s state beside this one. Nothing of either is lost, and nothing is removed before you say so.",
  "other-computers-state": "The other computer’s state {generation}",
  "still-arriving-pieces-are-here":
    "Still arriving{hasPieces, select, true {: {arrived} of {pieces} pieces are here} other {}}",
  "lock-it-compare": "Lock it to compare.",
  "it-is-not-needed-any": "It is not needed any more",
  "let-the-other-state-go": "Let the other computer’s state {generation} go?",
  "let-it-go": "Let it go",
  "what-only-it-has-is-gone":
    "Files that only that state has, or has otherwise, are gone then, on the other computer too: it takes up the folder as it is here. What you took over from it stays.",
  "it-is-still-arriving":
    "It is still arriving{hasPieces, select, true {: {arrived} of {pieces} pieces are here} other {}}. What else is in it can’t be told yet.",
  "check-verifies-encrypted-copy-and":
    "A check verifies the encrypted copy, and changes nothing: a sample in seconds, or every byte. Repairing its notes writes anew what is damaged of them, from their copies.",
  "check-it": "Check it",
  "mend-it": "Repair them",
  "its-records-are-whole-there": "Its notes are whole: there was nothing to repair.",
  "written-anew": "Repaired: {mended}.",
  health: "Health",
  "check-sample": "Check a sample",
  "check-every-byte": "Check every byte",
  "mend-its-records": "Repair its notes",
  "last-check-found-damage-check":
    "The last check found damage. Check it again to see where; what is whole comes out in any case.",
  "whole-as-far-as-sample": "Whole, as far as a sample tells, looked at",
  "whole-every-byte-checked": "Whole, every byte checked",
  little: "A little",
  usual: "Usual",
  much: "Much",
  "find-and-repair": "Find and repair",
  insurance: "Insurance",
  change: "Change…",
  "insure-it": "Insure it…",
  "insurance-for": "Insurance for {name}",
  "disk-that-ages-bad-stick":
    "A disk that ages, a bad stick or a cut-off copy spoils parts of files. Insurance keeps a little more beside the encrypted copy, from which Eremos writes spoilt parts anew, byte for byte.",
  "none-damage-disk-would-cost": "none. Damage to the disk would cost the files it hits.",
  "are-not-covered-yet-for": " {uncovered} are not covered yet, for want of room; the next lock tries again.",
  "takes-repairs-damage-up-in":
    "takes {costs}. Repairs damage of up to {burst} in one place, or any {scattered} spoilt places of up to 4 KB; usually many more.{rest}",
  "how-much": "How much",
  "repairs-up-in-one-place":
    "Repairs up to {burst} in one place, or any {scattered} spoilt places of up to 4 KB, wherever they are.",
  none: "None",
  "nothing-more-on-disk-damage": "Nothing more on the disk. Damage costs the files it hits; all others come out.",
  "it-is-kept-up-by": "It is kept up by itself with every lock. It is no backup: a lost disk is lost with it.",
  "not-now": "Not now",
  "take-it-off": "Take it off",
  "insure-it-2": "Insure it",
  "show-it": "Show it",
  "since-it-was-locked-last": "Since it was locked last",
  "what-came-changed-and-went": "What came, changed and went since it lies open, by names, sizes and times.",
  "look-again": "Look again",
  "show-what-changed": "Show what changed",
  "put-it-back": "Put it back",
  "is-locked-as-it-is":
    "{name} is locked as it is now, put back, and opened again. Close what you have open in it first.",
  "nothing-is-lost-what-is":
    "Nothing is lost: what is there now is kept as an earlier state, and a visit brings it back.",
  "put-everything-back-as-it": "Put everything back as it was?",
  "take-away": "Take {name} away?",
  "put-back-as-it-was": "Put {name} back as it was?",
  "when-it-is-left-open": "When it is left open",
  "it-locks-by-itself-by":
    "{isRules, select, true {It locks by itself by rules of its own.} other {It locks by itself as set for all folders. A change here is for this one alone.}} A folder in use is not torn away: it waits, and says for which program.",
  "as-for-all-folders": "As for all folders",
  "password-its-own": "A password of its own",
  "it-opens-only-with-master":
    "It opens only with the master password and its own together, or with the recovery code.",
  hint: "Hint: {passwordHint}",
  "none-whoever-is-signed-in":
    "None: whoever is signed in can open it. With one, it stays closed to somebody who finds you signed in.",
  "take-it-off-2": "Take it off…",
  "change-it-2": "Change it…",
  "set-one": "Set one…",
  "take-folders-password-off": "Take the folder’s password off",
  "password-for": "A password for {name}",
  "nothing-is-encrypted-anew-copies":
    "Nothing is encrypted anew. Copies of the folder made earlier go on opening as they did.",
  "new-password-this-folder": "New password of this folder",
  "needs-its-own-password-from": "{name} needs its own password from now on.",
  "opens-with-master-password-alone": "{name} opens with the master password alone now.",
  "set-it": "Set it",
  "at-this-keyboard": "At this keyboard",
  "with-hidden-files-shown": "…with hidden files shown",
  "another-account-here": "Another account here",
  administrator: "An administrator",
  "somebody-holding-disk": "Somebody holding the disk",
  "provider-synced-directory": "The provider of a synced folder",
  "sees-it": "Sees it",
  "names-in-it": "Names in it",
  reads: "Reads",
  changes: "Changes",
  deletes: "Deletes",
  "who-could-get-at-it": "Who could get at it",
  "from-disk-its-permissions-and":
    "From the disk, its permissions and its state just now. Each answer tells its reason.",
  who: "Who",
  never: "never",
});
