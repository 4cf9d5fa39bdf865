/** The kinds of somebody Eremos can answer for. */
export type OnlookerKind = "keyboard" | "keyboard-hidden-shown" | "disk";

export interface SeenEntry {
  /** For somebody holding the disk, a path below the place. */
  readonly name: string;
  readonly type: "file" | "dir" | "link" | "other";
  /** Bytes of a file; entries in a directory (null when it can't be listed). */
  readonly size: number | null;
}
