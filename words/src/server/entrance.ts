import { speaker } from "../speaker";

export const { say, said } = speaker("server/entrance", {
  "header-cant-be-read-nothing":
    "What says how {path} opens can't be read. Nothing was changed; try another folder of yours.",
  "nothing-was-changed": "{refusal} Nothing was changed.",
  "hint-is-at-most-200": "A hint is at most 200 characters long. Nothing was changed.",
  "hint-is-one-line-plain":
    "A hint is one line of plain text; this one holds characters that show nothing or that a terminal acts on. Nothing was changed.",
  "this-hint-gives-password-away":
    "This hint gives the password away: anybody at this keyboard can read it. Nothing was changed; choose one that reminds only you.",
  "it-is-away-or-not": "It is away, or not at its place, so it could not be tried.",
  "trying-it-nothing-was-changed": "trying it; nothing was changed",
  "file-it-is-damaged-check": "A file of it is damaged: check it on its page.",
  "eremos-already-has-master-password": "Eremos already has a master password. Nothing was changed.",
  "this-recovery-code-is-not":
    "This recovery code is not waited for any more (Eremos was restarted, or it was begun again elsewhere). Nothing was written; begin again.",
  "groups-are-not-as-on":
    "{named, plural, one {Group {one} is} other {Groups {all} are}} not as on your sheet. Look again; nothing is lost.",
  "eremos-cant-sign-in-by":
    "Eremos can't sign in by itself any more. Nothing was changed; sign in with the master password.",
});
