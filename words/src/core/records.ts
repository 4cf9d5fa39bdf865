import { speaker } from "../speaker";

export const { say, said } = speaker("core/records", {
  "so-far-not-even-list": "so far not even the list of its pieces is here",
  "pieces-are-here": "{arrived} of {pieces} pieces are here",
  "is-still-arriving-from-another":
    "{what} is still arriving from another computer: {count}. Nothing was changed; wait until the program that keeps the folder in step has brought the rest, or bring out what is here with `eremos rescue`.",
  epoch: "epoch {epoch}",
  "key-this-folder-is-missing": "A key of this folder is missing, so a part of it can't be read.",
  "missing-key": "missing key",
  "encrypted-file-was-put-in": "An encrypted file was put in the place of another.",
  "encrypted-file-is-too-short": "An encrypted file is too short or too long.",
  "part-encrypted-file-lies-where": "A part of an encrypted file lies where the disk can't read it.",
  "part-encrypted-file-is-not": "A part of an encrypted file is not what was written there.",
  "index-points-outside-encrypted-file": "The index points outside an encrypted file.",
  "encrypted-file-is-missing": "An encrypted file is missing.",
  "encrypted-file-lies-where-disk": "An encrypted file lies where the disk can't read it.",
  "folders-key-record": "folder's key record",
  "copy-in-eremos-own-data": "the copy in Eremos' own data",
  "folders-header": "folder's header",
  "it-is-not-what-header": "it is not what the header names",
  "folders-generation-record-is-not": "The folder's generation record is not the one that its state record names.",
  "folders-generation-record-lies-under": "The folder's generation record lies under the name of another.",
  "folders-generation-record": "folder's generation record",
  "list-what-this-state-consists": "list of what this state consists of",
  "record-file-that-was-put": "record of a file that was put in",
  "record-file-that-was-put-in": "The record of a file that was put in lies under the name of another.",
  "it-is-not-what-its": "It is not what its name says.",
  "folders-state-record-lies-under": "The folder's state record lies under the name of another computer.",
  "folders-state-record": "folder's state record",
  "folders-state-record-is-missing":
    "The folder's state record is missing. Nothing was touched; don't change anything in the folder.",
});
