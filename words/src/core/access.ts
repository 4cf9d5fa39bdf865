import { speaker } from "../speaker";

export const { say, said } = speaker("core/access", {
  "is-not-protected-by-eremos": "{path} is not protected by Eremos. Nothing was touched.",
  "taking-folder-in-it-is": "taking the folder in; it is locked as it was",
  "belongs-another-account-this-computer":
    "{path} belongs to another account of this computer, so it is not taken in. Nothing was touched; if it is yours, have it given back to your account first.",
  "nothing-was-changed-and-it":
    "{doubt} Nothing was changed, and it is not taken in. If you know who locked it, bring its files out with `eremos rescue`.",
  "this-folders-index-cant-be":
    "The list of this folder's files can't be read, so it can't be taken in as it is. Nothing was touched; bring its files out with `eremos rescue`.",
  "this-folder-was-locked-by":
    "This folder was locked by another owner; it needs that owner's master password, recovery code or keyholders' shares. Nothing was changed.",
  "folders-ordinary-path-cant-be": "Where the folder belongs can't be read from its notes. Nothing was touched.",
  "record-says-that-it-belongs":
    "A note in {path} says that it belongs at {ordinary}, which is in none of your places. Nothing was touched.",
  "putting-new-master-password-into":
    "putting the new master password into the folder; it still opens with the old one or the new",
  "changing-folders-password-it-still": "changing the folder's password; it still opens with the old one or the new",
  "is-in-middle-something-nothing":
    "{path} is in the middle of something. Nothing was touched; its key is renewed when that is done.",
  "giving-folder-new-key-it": "giving the folder a new key; it opens with what it opened with before",
  "this-folder-has-password-its":
    "This folder has a password of its own, which is needed to give it a new key. Nothing was touched; open it once.",
  "this-folder-was-locked-with":
    "This folder was locked with keys of yours from before you made new ones, and Eremos' own data does not know it: somebody who knows the earlier secret may have made it. Nothing was changed. Take it in with the earlier master password, if you know that it is yours.",
  "since-eremos-last-saw-this":
    "Since Eremos last saw this folder, somebody locked or changed it with keys of yours from before you made new ones. Nothing was changed; go on only if you did that yourself, on another computer.",
});
