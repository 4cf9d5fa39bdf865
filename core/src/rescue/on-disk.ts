/** The same on a disk, by plain Node. */
export * from ".";
export { directorySource } from "./directory-source";
export { type ScanEnd, type ScanFound, type ScanInput, type ScanProgress, scan } from "./scan";
export { describeFound, describeReport } from "./words";
export {
  type DamagedFile,
  type LostRange,
  type RescueOptions,
  type RescueProgress,
  type RescueReport,
  rescue,
} from "./to-directory";
