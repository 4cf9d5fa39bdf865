import { speaker } from "../speaker";

export const { say, said } = speaker("core/records", {
  "so-far-not-even-list": "so far not even the list of its pieces is here",
  "pieces-are-here": "{arrived} of {pieces} pieces are here",
  "is-still-arriving-from-another":
    "{what} is still arriving from another computer: {count}. Nothing was changed; wait until the program that keeps the folder in step has brought the rest, or bring out what is here with `eremos rescue`.",
  epoch: "key {epoch}",
  "key-this-folder-is-missing": "A key of this folder is missing, so a part of it can't be read.",
  "missing-key": "missing key",
  "encrypted-file-was-put-in": "An encrypted file was put in the place of another.",
  "encrypted-file-is-too-short": "An encrypted file is too short or too long.",
  "part-encrypted-file-lies-where": "A part of an encrypted file lies where the disk can't read it.",
  "part-encrypted-file-is-not": "A part of an encrypted file is not what was written there.",
  "index-points-outside-encrypted-file": "The list of files points outside an encrypted file.",
  "encrypted-file-is-missing": "An encrypted file is missing.",
  "encrypted-file-lies-where-disk": "An encrypted file lies where the disk can't read it.",
  "folders-key-record": "note of a key of the folder",
  "copy-in-eremos-own-data": "the copy in Eremos' own data",
  "folders-header": "note of how the folder opens",
  "it-is-not-what-header": "it is not what the folder names",
  "folders-generation-record-is-not": "The note of the folder's state is not the one that belongs to it.",
  "folders-generation-record-lies-under": "The note of a state of the folder lies under the name of another.",
  "folders-generation-record": "note of a state of the folder",
  "list-what-this-state-consists": "list of what this state consists of",
  "record-file-that-was-put": "note of a file that was put in",
  "record-file-that-was-put-in": "The note of a file that was put in lies under the name of another.",
  "it-is-not-what-its": "It is not what its name says.",
  "folders-state-record-lies-under": "The note of the folder's state lies under the name of another computer.",
  "folders-state-record": "note of what state the folder is in",
  "folders-state-record-is-missing":
    "The note of what state the folder is in is missing. Nothing was touched; don't change anything in the folder.",
});
