import { speaker } from "../speaker";

export const { say, said } = speaker("page/compare", {
  "two-copies-one-folder": "Two copies of one folder",
  compare: "Compare…",
  "this-copy": "this copy",
  "other-computers": "the other computer’s",
  "that-did-not-work-nothing": "That did not work. Nothing was changed.",
  "reading-both": "Reading both…",
  "this-copy-has-nothing-that":
    "This copy has nothing that {name} has not. It can be deleted, if you no longer want it.",
  "other-computers-state-has-nothing": "The other computer’s state has nothing that {name} has not. It can be let go.",
  "there-are-more-take-these": "There are more; take these first, then compare again.",
  "nothing-is-replaced-where-it":
    "Nothing of {name} is replaced: where it has a file of the same name, the other stands beside it as “… (from the copy)”.",
  close: "Close",
  "take-files-into": "Take {chosen, plural, one {# file} other {# files}} into {name}",
  "what-has": "What {what} has",
  "otherwise-in-changed": "{isOnlyHere, select, true {only in {what}} other {otherwise in {name}}} · {size} · changed",
  "index-cant-be-read-so":
    "The list of files of {generation} can’t be read, so which of the two is newer can’t be told.",
  "both-were-locked-times-where":
    "Both were locked {generation, plural, one {# time} other {# times}}. Where they differ, each has gone its own way since.",
  "this-copy-is-newer-it":
    "This copy is newer: it was locked {generation, plural, one {# time} other {# times}}, {name} at its place {ofOriginal, plural, one {# time} other {# times}}.",
  "this-copy-is-older-it":
    "This copy is older: it was locked {generation, plural, one {# time} other {# times}}, {name} at its place {ofOriginal, plural, one {# time} other {# times}}.",
  "nothing-is-different-since": "Nothing is different since.",
  "take-it-away": "Take it away",
  "put-it-back": "Put it back",
  "there-are-more": "There are more.",
  "put-everything-back-as-it": "Put everything back as it was",
});
