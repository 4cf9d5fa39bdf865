import { speaker } from "../speaker";

export const { say, said } = speaker("server/ways-back", {
  "there-is-no-sealed-folder": "There is no sealed folder at {copy}. Nothing was touched.",
  "files-were-taken-into-encrypted":
    "{taken, plural, one {One file was} other {{taken} files were}} taken into {name}, encrypted; nothing of it was replaced.{hasDamaged, select, true { Damaged in the copy, and left: {damaged}{hasMore, select, true { and {more} more} other {}}.} other {}}",
  "lies-open-nothing-was-touched": "{name} lies open. Nothing was touched; lock it first, then compare.",
  "it-is-in-list-already": "It is in the list already, as {where}. Nothing was changed.",
  "this-is-second-copy-which":
    "This is a second copy of {where}, which is at its place. Nothing was changed; bring this copy's files out with `eremos rescue`, or put it where the other one is.",
  "there-is-nothing-eremos-at": "There is nothing of Eremos at {path}. Nothing was changed.",
  "eremos-already-has-master-password":
    "Eremos already has a master password. Nothing was changed; sign in, and take folders in under Ways back.",
  "with-recovery-code-or-shares":
    "With the recovery code or shares, choose a new master password, too. Nothing was changed.",
  "it-is-not-encrypted-and":
    "It is not encrypted and so can't prove whose it is. Look at it, and take it in by itself.",
  "taking-it-in": "taking it in",
  "is-not-in-one-your": "{path} is not in one of your places. Nothing was changed; EREMOS_PLACES says which those are.",
  "it-is-not-in-list": "It is not in the list any more. Nothing was changed; look again.",
  "shares-cant-come-together-from":
    "{threshold} shares can’t come together from {holders} keyholders. Nothing was changed.",
  "two-keyholders-have-same-name":
    "Two keyholders have the same name. Nothing was changed; tell them apart, so that you know whose share is whose.",
  "there-is-no-such-keyholder":
    "There is no such keyholder any more. Nothing was sent or printed; look at the list again.",
  "eremos-does-not-know-how":
    "Eremos does not know how mail leaves this computer. Nothing was sent; name a mail server, or print the sheet.",
  "has-no-mail-address-here": "{name} has no mail address here. Nothing was sent; print the sheet.",
  "that-is-master-password-that":
    "That is the master password that you have now, which somebody may know. Nothing was changed; choose another.",
  "it-belongs-account-not-yours": "It belongs to account {uid}, not to yours.",
  "it-is-yours-and-its": "It is yours, and its permissions ({octal}) refuse it to you.",
  "account-group-with-access-list":
    "{octal}, account {uid}, group {gid}{hasList, select, true {, with an access list} other {}}",
  "putting-it-right-nothing-is": "finishing what was cut off; nothing is lost",
  "parts-it-are-damaged-and":
    "{name}: {left, plural, one {a part of it is} other {{left} parts of it are}} damaged and could not be encrypted anew; the rest is. Check the folder, and repair it if it is insured.",
  "is-sealed-anew-what-somebody":
    "{name} is encrypted anew: what somebody knows opens nothing in it any more.{hasOlderStates, select, true { {olderStates, plural, one {One earlier state} other {{olderStates} earlier states}} that you keep still opens with an earlier key.} other {}}",
  "owner-record-does-not-belong":
    "The note about the owner does not belong to the keys that are signed in, so no folder got it. Nothing was changed; sign in again.",
  "you-have-made-new-keys":
    "You have made new keys since this folder was locked, and it has a password of its own: that is needed once, to give it a new key. Nothing was touched.",
});
