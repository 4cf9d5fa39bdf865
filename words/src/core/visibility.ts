import { speaker } from "../speaker";

export const { say, said } = speaker("core/visibility", {
  "drive-cant-be-tucked-away":
    "A drive can't be tucked away: it is mounted where it is. Nothing was touched; hidden in place, its contents are hidden on the drive itself.",
  "drive-cant-have-cover-name": "A drive can't have a cover name: the system gives it its name. Nothing was touched.",
  "cover-name-nothing-was-touched": "A cover name {why}. Nothing was touched; choose another.",
  "there-is-something-called-beside":
    "There is something called {cover} beside the folder already. Nothing was touched; choose another cover name.",
  "this-renames-folder-and-this":
    "This renames the folder, and this account may not change the folder it lies in. Nothing was touched; lock it in view, under its own name.",
  "tucking-away-moves-folder-out":
    "Tucking away moves the folder out of synced folders, and everything above {path} that this account owns is one. Nothing was touched; hide it in place instead.",
  "tucking-away-moves-folder-and":
    "Tucking away moves the folder, and this account owns no folder above {path} on the same disk to move it to. Nothing was touched; hide it in place instead.",
  "where-folder-belongs-is-not":
    "{path}, where the folder belongs, is not there now. Nothing was touched; make that folder again, then open the folder.",
  "something-else-is-at-now":
    "Something else is at {place} now. Nothing was touched; move it away, then open the folder again.",
});
