import { speaker } from "../speaker";

export const { say, said } = speaker("server/overwriting", {
  reached: "What is overwritten can''t be read on this disk any more.",
  "drive-may-keep":
    "The file system writes over the contents where they lie, but the drive may keep the old ones out of sight for a while. Only somebody with the means to take the drive apart could get at them.",
  stay: "Overwriting does not reach the old contents on this disk: they stay on it until the space is used again.",
  unknown: "Whether overwriting reaches the old contents can''t be told from here.",
  "on-no-disk":
    "This lies in memory and on no disk; it is gone when it is removed, but for what the system may have put into swap.",
  "names-may-stay":
    "Names can stay readable in the file system''s own lists and journal until it uses those places again.",
  "written-elsewhere": "Its file system ({type}) writes changes to another place instead of over the old ones.",
  journal: "Its file system keeps contents in a journal, too, and the journal is written over only as it goes round.",
  snapshots: "Snapshots of this volume, or volumes it shares space with, still hold them.",
  remote: "It lies on another computer, or with a program of its own ({type}), which may keep copies.",
  "unknown-file-system": "Eremos does not know what this file system ({type}) does with old contents.",
  "in-memory": "Its file system is {type}.",
  "drive-remaps": "The drive is flash: it writes each time where it likes.",
  "drive-unknown": "What kind of drive this is, the system does not tell.",
  "never-readable":
    "What was never stored readable leaves nothing to overwrite: put files straight into a sealed folder, and look at them in a visit.",
  "discards-itself":
    "The system tells the drive by itself which space is not needed any more, and most drives empty it soon.",
  "discard-command":
    "An administrator can have the drive told which space is not needed any more: sudo fstrim {mountedAt}",
  "encrypted-below": "The whole disk is encrypted: without its password nobody reads old contents from it.",
  "encrypt-disk": "A disk that is encrypted as a whole, from the start, keeps no readable old contents.",
  "cant-be-overwritten": "{path} can''t be overwritten: {why}. Nothing was touched.",
  "is-outside-places": "{path} is outside your places ({places}). Nothing was touched.",
  "is-protected": "{path} is protected by Eremos. Nothing was touched; remove it with *Remove…* on its own page.",
  "lies-in-protected":
    "{path} lies in {above}, which is protected. Nothing was touched; delete it inside that folder, in a visit or while it lies open.",
  "belongs-to-eremos": "{path} belongs to what Eremos keeps in a protected folder. Nothing was touched.",
  "files-overwritten":
    "{files, plural, =0 {No file was} one {One file was} other {{files} files were}} overwritten and removed.",
  "files-left": "{left, plural, one {One thing was} other {{left} things were}} left: {first}",
  "files-shared":
    "{shared, plural, one {One of them shared} other {{shared} of them shared}} space with copies or snapshots, which still hold the contents.",
  "free-room": "The free space was overwritten ({size}), but for a margin that other programs need.",
  "free-needed-by-others":
    "Another program needed the room, so it ended early: {size} of the free space were overwritten. Nothing that was written for it stays.",
  "free-cancelled":
    "Stopped, as you asked: {size} of the free space were overwritten. Nothing that was written for it stays.",
});
