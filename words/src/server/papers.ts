import { speaker } from "../speaker";

export const { say, said } = speaker("server/papers", {
  "package-paper": "The password of a package",
  "package-paper-is":
    "Made on {day}. It opens the package {name} and nothing else. Hand it over in another way than the package: whoever has both has what is in it.",
  "package-for": "For {to}",
  "how-it-opens": "How it opens",
  "how-page-opens":
    "Open the file in a current browser, on a computer or a phone; it needs no network. Type the password, or point a camera at the code. A phone may show a preview first in which nothing can be typed: choose “Open in browser” there.",
  "how-zip-opens":
    "Open the archive with a program that knows AES-256 (most programs for archives do), and type the password. If another archive is in it, open that one, too.",
  "how-folder-opens":
    "Open the page beside the folder in a current browser, choose the folder there, and type the password where the master password is asked for. With Eremos: take the folder in under “Ways back”.",
  "which-package-it-is": "Which package it is",
  "package-digest": "Its SHA-256: {sha256}",
  "package-has-no-digest": "It is the folder {name}.",
  afterwards: "Afterwards",
  "destroy-this-paper": "Destroy this paper once the package has been opened and what is in it is where it should be.",
  "password-for-you": "The password of a package for you",
  "password-mail":
    "Dear {name},\n\nyou get, or have got, a package in another way: {file}. The attached paper has its password and says how it opens.\n\nPlease delete this mail once you have opened the package: whoever has both has what is in it.\n",
  "paper-mail-not-taken":
    "The mail server did not take it ({error}). Nothing was sent; look at the mail server’s settings, or print the paper.",
  "share-for-you-keep-for": "A share for you to keep, for {of}",
  "mail-server-did-not-take":
    "The mail server did not take it ({error}). The share was not handed over; look at the mail server’s settings, or print the sheet.",
  "dear-has-named-you-keyholder":
    "Dear {holder},\n\n{of} has named you a keyholder. In the attached sheet there is a share: {threshold} of {count} such shares together open folders of {of} that are locked, should their own way in be lost one day. Your share alone opens nothing and tells nothing.\n\nPlease print the sheet and keep it with your papers, then delete this mail. Give it to nobody but {of}, or those whom {of} named for it; if somebody else asks you for it, ask {of} first.\n",
  "that-is-not-whole-recovery": "That is not a whole recovery code. Nothing was made.",
  "eremos-recovery-sheet": "Eremos recovery sheet",
  "made-on-this-code-opens":
    "Made on {day}. This code opens every folder of its owner, without the master password; folders with a password of their own, too. Whoever has this sheet can open them: keep it with your papers, not beside the computer.",
  "when-you-type-it": "When you type it",
  "eight-groups-five-capitals-spaces":
    "Eight groups of five. Capitals, spaces and dashes don’t matter. The letters I, L, O and U do not occur: what looks like them is a 1, a 1, a 0 and a V. The last character of each group checks the others, so that a mistyped group is named at once.",
  "you-forgot-master-password": "You forgot the master password",
  "start-eremos-and-choose-i":
    "Start Eremos, and choose “I forgot my master password” where it asks for it. The code sets a new one; your folders stay as they are.",
  "eremos-is-gone-or-this": "Eremos is gone, or this is another computer",
  "with-eremos-choose-i-have":
    "With Eremos: choose “I have folders that Eremos locked before” when it starts for the first time. It finds them on the disk.",
  "type-this-code": "type this code",
  "newer-code": "A newer code",
  "when-you-make-new-code":
    "When you make a new code, this sheet stops working for everything Eremos can reach then. Copies and drives that were not there keep opening with it: keep it until Eremos says that nothing is left, then destroy it.",
  "eremos-keyholders-share": "Eremos keyholder’s share",
  for: "{holder}, for {of}",
  "share-made-on-any-shares":
    "Share {number} of {count}, made on {day}. Any {threshold} of the {count} shares together open every folder of whoever made them. This one alone opens nothing, and tells nothing. Keep it with your papers; give it to nobody but the owner, or those whom the owner named for it.",
  "twelve-groups-five-capitals-spaces":
    "Twelve groups of five. Capitals, spaces and dashes don’t matter. The letters I, L, O and U do not occur: what looks like them is a 1, a 1, a 0 and a V. The last character of each group checks the others, so that a mistyped group is named at once.",
  "when-it-is-needed": "When it is needed",
  "bring-shares-together-with-eremos":
    "Bring {threshold} shares together. With Eremos, on the owner’s computer: choose “I forgot my master password” where it asks for it, then “Keyholders’ shares”. On another computer: choose “I have folders that Eremos locked before” when it starts for the first time.",
  "type-shares": "type the shares",
  "if-owner-names-other-keyholders": "If the owner names other keyholders",
  "then-everybody-gets-new-share":
    "Then everybody gets a new share, and this one stops working for everything Eremos can reach then. Copies and drives that were not there keep opening with the earlier shares: give this sheet back to the owner, or destroy it when the owner says so.",
  "same-as-qr-code": "The same as a QR code: {text}",
  "without-eremos-open-page-rescue":
    "Without Eremos: open the page rescue.html in any current browser, choose the locked folder (the one with a folder called .eremos in it), and {does}. Or, with Node.js: node rescue.mjs FOLDER --to PLACE {flag}. Both work offline and change nothing. Save them from Ways back in Eremos, on a stick that you keep with this sheet.",
  "so-that-nobody-gives-you": "So that nobody gives you another page",
});
