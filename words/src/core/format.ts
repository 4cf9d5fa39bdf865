import { speaker } from "../speaker";

export const { say, said } = speaker("core/format", {
  "password-settings-in-this-header":
    "The password settings in this header can't be read. The header is damaged; its copies may be whole.",
  "this-header-asks-for-more":
    "This header asks for more memory or time than Eremos ever writes, so it was not followed. It is damaged or was changed.",
  "look-at-this-password-would":
    "A look at this password would take {times} times the work that yours takes, because the folder's header asks for it; whoever can write to the folder can write that there. Nothing was tried. Go on if you know where the folder comes from.",
  "part-this-folders-index-ends": "A part of this folder's index ends too early.",
  "part-this-folders-index-holds": "A part of this folder's index holds an impossible length.",
  group: "group {named}",
  groups: "groups {named}",
  "file-that-was-put-in": "A file that was put in can't be read: its key is damaged.",
  "file-that-was-put-in-cant": "A file that was put in can't be had back: it was not put in with this key.",
  "record-file-that-was-put": "record of a file that was put in",
  "folders-file-record": "folder's file record",
  "folders-generation-record-uses-more": "The folder's generation record uses more of its index than there is.",
  "what-this-state-folder-says":
    "What this state of the folder says of itself, such as its ordinary path, can't be read.",
  "folders-generation-record": "folder's generation record",
  guard: "the guard “{name}”",
  "folders-guard-record": "folder's guard record",
  "record-folders-original-permissions-is":
    "The record of the folder's original permissions is missing or damaged. Nothing was touched; the contents themselves are untouched, and their permissions can be set by hand.",
  "owner-record-does-not-belong":
    "The owner record does not belong to the key that is signed in, so the folder's header was not written. Nothing was changed; sign in again.",
  "this-folder-was-locked-by": "This folder was locked by another owner. Nothing was changed.",
  "this-folder-was-locked-before":
    "This folder was locked before you made new keys, and gets its own first. Nothing was changed; sign in while it is here.",
  "this-folder-had-keys-before":
    "This folder had {mostEarlier} keys before, and there is no room for more. Nothing was changed; release it, and lock it anew.",
  "earlier-key-this-folder-is":
    "An earlier key of this folder is damaged in this copy of the header, or the folder's key is another one.",
  "every-way-into-this-folder": "Every way into this folder is damaged or missing in this copy of its header.",
  "this-folder-has-password-its": "This folder has a password of its own, which is needed too. Nothing was touched.",
  "this-folder-was-locked-by-another":
    "This folder was locked by another owner; this master password does not open it. Nothing was changed.",
  "this-folder-was-last-opened":
    "This folder was last opened before the keyholders were named, so their shares do not open it. Its password and the recovery code do.",
  "this-folder-has-no-password": "This folder has no password of its own. Nothing was touched.",
  "folders-private-key-is-damaged":
    "The folder's private key is damaged in this copy of the header, or its key is another one.",
  "folders-header": "folder's header",
  "insurances-level": "insurance's level",
  "part-this-folders-insurance-is": "A part of this folder's insurance is damaged. The folder itself may be whole.",
  "key-this-folder-is-damaged": "A key of this folder is damaged, so what was locked with it can't be read.",
  "folders-key-record": "folder's key record",
  "it-is-mistyped-its-groups": "It is mistyped: its groups do not belong to one share. Look at the sheet again.",
  "this-share-was-made-by": "This share was made by a newer Eremos. Use that, or its readers.",
  "that-is-recovery-code-not":
    "That is a recovery code, not a share. It opens everything by itself: use it as the code.",
  "it-is-mistyped-in-look": "It is mistyped in {groups}; look at the sheet again.",
  "that-is-not-whole-share":
    "That is not a whole share: it has {of} groups of five.{isMistyped, select, true { It is mistyped in {groups}; look at the sheet again.} other {}}",
  "it-belongs-another-set-somebody":
    "It belongs to another set: somebody else’s, or one from before the keyholders were changed.",
  "it-says-that-it-is": "It says that it is of this set, and is none of its shares.",
  "same-share-is-there-already": "The same share is there already.",
  "share-those-you-gave-cant": "Share {wrong} of those you gave can’t be used. {problem} Nothing was changed.",
  "shares-are-here-more-are":
    "{given} of {threshold} shares are here; {missing, plural, one {one more is} other {{missing} more are}} needed. Nothing was changed.",
  "shares-are-genuine-and-keyholders":
    "The shares are genuine, and the keyholders’ slot is damaged in this copy. The master password and the recovery code still open everything.",
  "list-what-this-state-folder": "The list of what this state of the folder consists of is damaged.",
  "name-guest-this-folder-cant": "The name of a guest of this folder can't be read. Nothing else is affected.",
  "record-member-folder": "record of a member of the folder",
  "this-way-in-was-not": "This way in was not made by the guest whom it names, so it is not used. Nothing was changed.",
  "that-is-not-password-nothing": "That is not the password. Nothing was changed; try again.",
  "this-way-in-is-damaged": "This way in is damaged. Nothing was changed.",
  "record-guests-way-in": "record of a guest's way in",
  "note-about-this-folder-cant": "A note about this folder can't be read. Nothing else is affected.",
  "note-about-folder": "note about the folder",
  "encrypted-file-this-folder-has": "An encrypted file of this folder has a damaged beginning.",
  "that-is-recovery-code-but":
    "That is a recovery code, but not the one for this. Nothing was changed; look for the newer sheet.",
  "recovery-code-is-mistyped-in":
    "The recovery code is mistyped in {groups}. Nothing was changed; look at the sheet again.",
  "owner-record-does-not-belong-key":
    "The owner record does not belong to the key that is signed in, or its signing key is damaged. Nothing was changed; sign in again.",
  "owner-record-was-changed-after":
    "The owner record was changed after it was written, so it is not used. Nothing was changed; every locked folder holds a copy of it that may be whole.",
  "new-keys-were-made-times":
    "New keys were made {mostEarlier} times, and there is no room for more of the earlier ones. Nothing was changed. Release your folders, and begin with a new Eremos.",
  "earlier-key-yours-cant-be":
    "An earlier key of yours can't be read from the owner record, so folders that were away when you made new keys can't be renewed. Nothing was changed.",
  "name-one-your-computers-cant": "The name of one of your computers can't be read. Nothing else is affected.",
  "that-is-not-master-password": "That is not the master password. Nothing was changed; try again.",
  "password-slot-is-damaged-recovery": "The password slot is damaged. The recovery code still opens everything.",
  "recovery-slot-is-damaged-master": "The recovery slot is damaged. The master password still opens everything.",
  "no-keyholders-were-named-when":
    "No keyholders were named when this was written, so shares do not open it. The master password and the recovery code do.",
  "keyholders-slot-is-damaged-master":
    "The keyholders’ slot is damaged. The master password and the recovery code still open everything.",
  "owners-sealing-key-is-damaged": "The owner's sealing key is damaged. Folders sealed while signed in still open.",
  "new-owner-record-did-not":
    "The new owner record did not open when it was tried, so it was not written. Nothing was changed; what opened before goes on opening. Try again.",
  "owner-record": "owner record",
  "critical-names-what-is-not": "critical names what is not there",
  "it-is-too-large": "it is too large",
  "it-is-not-readable-json": "it is not readable JSON",
  "is-version-format-and-this":
    "The {what} is of version {version} of the format, and this Eremos reads version {formatVersion}. Nothing was changed; use the Eremos that wrote it, or a newer one.",
  "it-is-not-written-one": "it is not written the one way it can be",
  "its-checksum-does-not-match": "its checksum does not match",
  "uses-what-this-eremos-does":
    "The {what} uses what this Eremos does not know and has to know: {unknown}. Nothing was changed; update Eremos to open it.",
  "field-is-missing-or-malformed": "a field is missing or malformed",
  "is-damaged": "The {what} is damaged: {why}.",
  "folders-password-slot": "folder's password slot",
  "recovery-code-still-opens-it": "The recovery code still opens it.",
  "that-is-not-this-folders": "That is not this folder's password. Nothing was changed; try again.",
  "folders-recovery-slot": "folder's recovery slot",
  "folder-password-still-opens-it": "The folder password still opens it.",
  "folders-keyholders-slot": "folder's keyholders' slot",
  "folder-password-and-recovery-code": "The folder password and the recovery code still open it.",
  "is-damaged-2": "The {what} is damaged. {instead}",
  "record-way-into-folder": "record of a way into the folder",
  "folders-state-record": "folder's state record",
  "folders-index-has-no-root": "The folder's index has no root.",
  "folders-index-ends-too-early": "The folder's index ends too early.",
  "folders-index-holds-name-twice": "The folder's index holds a name twice, or out of order.",
  "folders-index-refers-pack-that": "The folder's index refers to a pack that is not in its table.",
  "folders-index-goes-round-in": "The folder's index goes round in a circle.",
  "folders-index-holds-name-that": "The folder's index holds a name that no file system allows.",
  "part-this-folders-index-has": "A part of this folder's index has another length than it says.",
  "this-folder-holds-entry-kind":
    "This folder holds an entry of a kind that this Eremos does not know. Nothing was changed; update Eremos to open it.",
  "folders-index-holds-entry-that": "The folder's index holds an entry that is not whole.",
  "this-folder-holds-link-kind":
    "This folder holds a link of a kind that this Eremos does not know. Nothing was changed; update Eremos to open it.",
  "this-folder-holds-something-that":
    "This folder holds something ({tag}) that this Eremos does not know and has to know. Nothing was changed; update Eremos to open it.",
  "folders-index-holds-part-entry": "The folder's index holds a part of an entry twice.",
  "folders-index-holds-impossible-time": "The folder's index holds an impossible time.",
  "what-stands-before-files-data": "What stands before a file's data is damaged.",
  "what-stands-before-files-data-holds": "What stands before a file's data holds a name that no file system allows.",
  "cover-is-not-empty": "is not empty",
  "cover-has-at-most": "has at most {bytes} bytes",
  "cover-has-no-dot-first": "does not begin with a dot, which would hide the folder",
  "cover-has-no-slash": "has no slash and no control characters",
  "cover-has-none-of": "has none of \" * : < > ? \\ | and no dot or space at its end, which a stick can't hold",
  "cover-is-no-device": "is no name of a device, such as CON or LPT1, which a stick can't hold",
});
