import type { Disk } from "../../src/platform/port";
import type { Person } from "./world";

/** What is cut off, broken or failed anywhere in the campaigns. */
export interface Scene {
  readonly folder: string;
  /** What must come back, whatever happens. Either of these. */
  readonly acceptable: readonly (readonly string[])[];
  /** What of it is compared, where that is not everything. */
  readonly shown?: (lines: readonly string[]) => readonly string[];
  readonly run: (disk: Disk) => Promise<unknown>;
  /** Something of it is damaged before it begins, and may still be. */
  readonly isDamaged?: boolean;
  /** Whatever of it is readable at any moment, no other account may get at. */
  readonly isClosed?: boolean;
}

export type Stage = (person: Person, folder: string) => Promise<Scene>;

export const FOLDER = "0".repeat(32);
/** Of a folder that got one in a scene. */
export const OWN_PASSWORD = "rosin on the left shelf";
