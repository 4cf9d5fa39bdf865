import type { Bars } from "../contract";

/** What Eremos can add to a desktop. */
export const DESKTOP_PARTS = ["applications", "start", "menu", "marks"] as const;
export type DesktopPart = (typeof DESKTOP_PARTS)[number];

export interface DesktopFile {
  readonly path: string;
  readonly mode: number;
  readonly content: string;
  /** Where a program that reads it keeps its own form of it, under the same name: that goes with it. */
  readonly cachedIn?: string;
}

export interface DesktopHome {
  readonly home: string;
  readonly dataHome: string;
  readonly configHome: string;
  /** The account's name and number, as the system's own commands take them. */
  readonly account: string;
  readonly uid: number;
  /** The program and its first words, as they are started: `node …/eremos.mjs`. */
  readonly command: readonly string[];
  /** What must be set for it, such as another data directory. */
  readonly environment: Readonly<Record<string, string>>;
  /** Its package put it among the applications of every account. */
  readonly isSystemWide: boolean;
  /**
   * This account has a service manager that can start it, and hold its port (null: another one at each start); null
   * where there is none.
   */
  readonly userManager: { readonly port: number | null } | null;
}

export type HowStarted = Pick<DesktopHome, "command" | "environment">;

/** A program of the system's own and its words, run without a shell. */
export interface SystemCommand {
  readonly program: string;
  readonly words: readonly string[];
}

/**
 * What differs from one desktop to another, as data: files to write, and commands to run after they are written or
 * before they go.
 */
export interface Desktop {
  /** Seen working on the real system; otherwise only the commands it issues are tested. */
  readonly isProven: boolean;
  /** With the part `applications` it opens the small file that stands in a locked folder, by Eremos. */
  readonly opensItems: boolean;
  filesOf(part: DesktopPart, home: DesktopHome): readonly DesktopFile[];
  commandsOf(part: DesktopPart, on: boolean, home: DesktopHome): readonly SystemCommand[];
  /** By which the desktop learns that files of a part came or went. */
  refreshing(part: DesktopPart, home: DesktopHome): readonly SystemCommand[];
  /** How the desktop itself hides a path or shows it again, beyond its name. */
  hiding(path: string, on: boolean): readonly SystemCommand[];
  /** How the system is told who may do what with a path; null: as it was, from what was saved in the file `saved`. */
  barring(path: string, bars: Bars | null, saved: string, home: DesktopHome): readonly SystemCommand[];
}

/** Stands in every file Eremos writes, and nowhere else: only files with it are ever replaced or removed. */
export const MARK = "Written by Eremos; it removes this file again when asked.";
