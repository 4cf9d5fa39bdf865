import { speaker } from "../speaker";

export const { say, said } = speaker("core/format", {
  "password-settings-in-this-header":
    "The password settings of this folder can't be read: they are damaged here; their copies may be whole.",
  "this-header-asks-for-more":
    "A try of the password would take more memory or time here than Eremos ever asks for, so none was made. The folder is damaged or was changed.",
  "look-at-this-password-would":
    "A look at this password would take {times} times the work that yours takes, because the folder asks for it; whoever can write to the folder can write that there. Nothing was tried. Go on if you know where the folder comes from.",
  "part-this-folders-index-ends": "A part of the list of this folder's files ends too early.",
  "part-this-folders-index-holds": "A part of the list of this folder's files holds an impossible length.",
  group: "group {named}",
  groups: "groups {named}",
  "file-that-was-put-in": "A file that was put in can't be read: its key is damaged.",
  "file-that-was-put-in-cant": "A file that was put in can't be had back: it was not put in with this key.",
  "record-file-that-was-put": "note of a file that was put in",
  "folders-file-record": "note about the single file",
  "folders-generation-record-uses-more":
    "The note of a state of the folder uses more of the list of its files than there is.",
  "what-this-state-folder-says":
    "What this state of the folder says of itself, such as its ordinary path, can't be read.",
  "folders-generation-record": "note of a state of the folder",
  guard: "the guard “{name}”",
  "folders-guard-record": "note of how the folder is guarded",
  "record-folders-original-permissions-is":
    "The note of the folder's original permissions is missing or damaged. Nothing was touched; the contents themselves are untouched, and their permissions can be set by hand.",
  "owner-record-does-not-belong":
    "The note about the owner does not belong to the key that is signed in, so what says how the folder opens was not written. Nothing was changed; sign in again.",
  "this-folder-was-locked-by": "This folder was locked by another owner. Nothing was changed.",
  "this-folder-was-locked-before":
    "This folder was locked before you made new keys, and gets its own first. Nothing was changed; sign in while it is here.",
  "this-folder-had-keys-before":
    "This folder had {mostEarlier} keys before, and there is no room for more. Nothing was changed; release it, and lock it anew.",
  "earlier-key-this-folder-is":
    "An earlier key of this folder is damaged in this copy, or the folder's key is another one.",
  "every-way-into-this-folder": "Every way into this folder is damaged or missing in this copy.",
  "this-folder-has-password-its": "This folder has a password of its own, which is needed too. Nothing was touched.",
  "this-folder-was-locked-by-another":
    "This folder was locked by another owner; this master password does not open it. Nothing was changed.",
  "this-folder-was-last-opened":
    "This folder was last opened before the keyholders were named, so their shares do not open it. Its password and the recovery code do.",
  "this-folder-has-no-password": "This folder has no password of its own. Nothing was touched.",
  "folders-private-key-is-damaged": "The folder's private key is damaged in this copy, or its key is another one.",
  "folders-header": "note of how the folder opens",
  "insurances-level": "note of how much insurance there is",
  "part-this-folders-insurance-is": "A part of this folder's insurance is damaged. The folder itself may be whole.",
  "key-this-folder-is-damaged": "A key of this folder is damaged, so what was locked with it can't be read.",
  "folders-key-record": "note of a key of the folder",
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
    "The shares are genuine, and the keyholders’ way in is damaged in this copy. The master password and the recovery code still open everything.",
  "list-what-this-state-folder": "The list of what this state of the folder consists of is damaged.",
  "name-guest-this-folder-cant": "The name of a guest of this folder can't be read. Nothing else is affected.",
  "record-member-folder": "note of somebody with a way into the folder",
  "this-way-in-was-not": "This way in was not made by the guest whom it names, so it is not used. Nothing was changed.",
  "that-is-not-password-nothing": "That is not the password. Nothing was changed; try again.",
  "this-way-in-is-damaged": "This way in is damaged. Nothing was changed.",
  "record-guests-way-in": "note of a guest's way in",
  "note-about-this-folder-cant": "A note about this folder can't be read. Nothing else is affected.",
  "note-about-folder": "note about the folder",
  "encrypted-file-this-folder-has": "An encrypted file of this folder has a damaged beginning.",
  "that-is-recovery-code-but":
    "That is a recovery code, but not the one for this. Nothing was changed; look for the newer sheet.",
  "recovery-code-is-mistyped-in":
    "The recovery code is mistyped in {groups}. Nothing was changed; look at the sheet again.",
  "owner-record-does-not-belong-key":
    "The note about the owner does not belong to the key that is signed in, or its signing key is damaged. Nothing was changed; sign in again.",
  "owner-record-was-changed-after":
    "The note about the owner was changed after it was written, so it is not used. Nothing was changed; every locked folder holds a copy of it that may be whole.",
  "new-keys-were-made-times":
    "New keys were made {mostEarlier} times, and there is no room for more of the earlier ones. Nothing was changed. Release your folders, and begin with a new Eremos.",
  "earlier-key-yours-cant-be":
    "An earlier key of yours can't be read from the note about the owner, so folders that were away when you made new keys can't be renewed. Nothing was changed.",
  "name-one-your-computers-cant": "The name of one of your computers can't be read. Nothing else is affected.",
  "that-is-not-master-password": "That is not the master password. Nothing was changed; try again.",
  "password-slot-is-damaged-recovery": "The password's way in is damaged. The recovery code still opens everything.",
  "recovery-slot-is-damaged-master":
    "The recovery code's way in is damaged. The master password still opens everything.",
  "no-keyholders-were-named-when":
    "No keyholders were named when this was written, so shares do not open it. The master password and the recovery code do.",
  "keyholders-slot-is-damaged-master":
    "The keyholders’ way in is damaged. The master password and the recovery code still open everything.",
  "owners-sealing-key-is-damaged":
    "The owner's key for locking while signed out is damaged. What was locked while signed in still opens.",
  "new-owner-record-did-not":
    "The new note about the owner did not open when it was tried, so it was not written. Nothing was changed; what opened before goes on opening. Try again.",
  "owner-record": "note about the owner",
  "critical-names-what-is-not": "critical names what is not there",
  "it-is-too-large": "it is too large",
  "it-is-not-readable-json": "it can't be read",
  "is-version-format-and-this":
    "The {what} is of version {version} of the format, and this Eremos reads version {formatVersion}. Nothing was changed; use the Eremos that wrote it, or a newer one.",
  "it-is-not-written-one": "it is not written as Eremos writes it",
  "its-checksum-does-not-match": "it is not what was written there",
  "uses-what-this-eremos-does":
    "The {what} uses what this Eremos does not know and has to know: {unknown}. Nothing was changed; update Eremos to open it.",
  "field-is-missing-or-malformed": "a field is missing or malformed",
  "is-damaged": "The {what} is damaged: {why}.",
  "folders-password-slot": "password's way in",
  "recovery-code-still-opens-it": "The recovery code still opens it.",
  "that-is-not-this-folders": "That is not this folder's password. Nothing was changed; try again.",
  "folders-recovery-slot": "recovery code's way in",
  "folder-password-still-opens-it": "The folder password still opens it.",
  "folders-keyholders-slot": "keyholders' way in",
  "folder-password-and-recovery-code": "The folder password and the recovery code still open it.",
  "is-damaged-2": "The {what} is damaged. {instead}",
  "record-way-into-folder": "note of a way into the folder",
  "folders-state-record": "note of what state the folder is in",
  "folders-index-has-no-root": "The list of the folder's files has no root.",
  "folders-index-ends-too-early": "The list of the folder's files ends too early.",
  "folders-index-holds-name-twice": "The list of the folder's files holds a name twice, or out of order.",
  "folders-index-refers-pack-that": "The list of the folder's files names an encrypted file that is not among them.",
  "folders-index-goes-round-in": "The list of the folder's files goes round in a circle.",
  "folders-index-holds-name-that": "The list of the folder's files holds a name that no file system allows.",
  "part-this-folders-index-has": "A part of the list of this folder's files has another length than it says.",
  "this-folder-holds-entry-kind":
    "This folder holds an entry of a kind that this Eremos does not know. Nothing was changed; update Eremos to open it.",
  "folders-index-holds-entry-that": "The list of the folder's files holds an entry that is not whole.",
  "this-folder-holds-link-kind":
    "This folder holds a link of a kind that this Eremos does not know. Nothing was changed; update Eremos to open it.",
  "this-folder-holds-something-that":
    "This folder holds something ({tag}) that this Eremos does not know and has to know. Nothing was changed; update Eremos to open it.",
  "folders-index-holds-part-entry": "The list of the folder's files holds a part of an entry twice.",
  "folders-index-holds-impossible-time": "The list of the folder's files holds an impossible time.",
  "what-stands-before-files-data": "What stands before a file's data is damaged.",
  "what-stands-before-files-data-holds": "What stands before a file's data holds a name that no file system allows.",
  "cover-is-not-empty": "is not empty",
  "cover-has-at-most": "has at most {bytes} bytes",
  "cover-has-no-dot-first": "does not begin with a dot, which would hide the folder",
  "cover-has-no-slash": "has no slash and no control characters",
  "cover-has-none-of": "has none of \" * : < > ? \\ | and no dot or space at its end, which a stick can't hold",
  "cover-is-no-device": "is no name of a device, such as CON or LPT1, which a stick can't hold",
});
