/** The door for readers without the engine: only what a browser has, too. */
export { EremosError, fromSystemError, isEremosError } from "../errors/eremos-error";
export { printable, printableJson } from "../errors/printable";
export { CODE_GROUPS, mistypedGroups } from "../format/codes/recovery-code";
export { type AskedKeyholders, SHARE_GROUPS, type ShareLook, lookAtShares } from "../format/keyholders";
export { keyholdersOf } from "../format/header";
export type { FileData, RescuedEntry } from "./entry";
export { type LockedFound, findLocked, readGuardOwner } from "./find-locked";
export type { RescueSecret } from "./keys-of-folder";
export { LockedFolder, openLocked } from "./locked-folder";
export { whatContradicts } from "./contradiction";
export { isPlainTrue, stateWriterOf } from "../format/state";
export type { Piece } from "./sealed-object";
export { type RescueSource, readWhole } from "./source";
export { PackageReader, type PackedSource, openPackage } from "../handover/package";
export type { PageHead } from "../handover/package-page";
