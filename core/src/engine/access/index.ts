/**
 * Who can open a folder: new passwords and keys carried to it, folders of another Eremos taken in, encrypting anew.
 * Contents stay as they are, but for a renewal of all keys.
 */
export { type AccessProblem, accessProblems, repairAccess } from "./access";
export { type AdoptInput, type Adopted, adoptFolder } from "./adopt";
export { type HeaderInput, changeFolderPassword, changeOwner, openFolderKey } from "./change-owner";
export { type RenewInput, type SealedAnew, openFolderKeyBefore, renewFolder, sealAnew } from "./renew";
