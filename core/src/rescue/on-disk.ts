/** The same on a disk, by plain Node. */
export * from ".";
export { directorySource } from "./directory-source";
export { type ScanEnd, type ScanFound, type ScanInput, type ScanProgress, scan } from "./scan";
export { describeFound, describeReport } from "./words";
export type { DamagedFile, LostRange, RescueProgress, RescueReport } from "./bring-out/report";
export { type RescueOptions, rescue } from "./bring-out/to-directory";
