import { speaker } from "../speaker";

/** The pages that stand alone: in a locked folder, and at every address that is not Eremos' of this start. HTML. */
export const { say } = speaker("server/standing-pages", {
  "how-to-open":
    "Open Eremos from the applications menu, with <code>eremos page</code> in a terminal, or at the address that was printed where it was started.",
  "this-is-locked": "This {kind, select, file {file} drive {drive} other {folder}} is locked",
  "still-in-here":
    "{kind, select, file {It is encrypted and still in here. It opens} drive {What is on it is encrypted and still here. It opens} other {Its files are encrypted and still in here. They open}} with the owner's master password, in Eremos on this computer.",
  "by-the-item":
    "Open the file <b>Open with Eremos</b> beside this page with a double click, or Eremos from the applications menu.",
  "without-eremos":
    "Where Eremos is not installed, its reader (<code>rescue.html</code>) opens it in any browser, without a network. The owner may have kept that on a stick: take it from nowhere else, and from nobody.",
  "page-asks-for-nothing":
    "This page never asks for a password, and links to no page that does. Please don't delete, move or edit what is here; files you put beside this page are kept and taken in when the owner opens it.",
  "tells-nothing": "What is in here is locked. With Eremos on this computer, open this file to get to it.",
  "not-at-this-address": "Eremos is not at this address",
  "fresh-address":
    "It has a fresh address at each start, so that nobody else can stand in its place and ask for your password.",
  "type-no-password": "Don't type your password at an address that you kept, or that a link led to.",
});
