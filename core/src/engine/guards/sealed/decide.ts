import type { FolderState } from "../../../format/state";

/** What a look at the disk found; no key is needed for it. */
export interface Found {
  readonly state: FolderState;
  /** The folder was never sealed before. */
  readonly isFirst: boolean;
  /** A part is sealed only, the rest plain only. */
  readonly mixed: boolean;
  /** A record of something begun and not committed. */
  readonly unfinished: boolean;
  /** The name the folder has now is not the one it should hide under. */
  readonly showsName: boolean;
}

/** What recovery does, in order. Each step may be repeated without harm. */
export type Step =
  | "move-back" // plain entries from staging to their place
  | "restore-modes" // of entries that were widened to be read
  | "discard-next" // objects of the generation that was never committed
  | "remove-page"
  | "dismantle" // everything Eremos added; the folder is ordinary again
  | "mark-open"
  | "mark-mixed"
  | "finish-removing" // the plain copy, whose sealed copy is committed and verified
  | "empty-staging" // half-restored entries, whose sealed copy is true
  | "mark-sealed"
  | "erase" // the folder, with everything in it
  | "hide";

/**
 * The one table that says which copy is true. FORMAT.md §7.2. Before `removing`, the plain copy; from then on, the
 * sealed one; from `placing` on, the plain one again; in `mixed`, both together. What frees space comes before what
 * writes: the disk may be full.
 */
export function decide(found: Found): readonly Step[] {
  const before: Step = found.mixed ? "mark-mixed" : found.isFirst ? "dismantle" : "mark-open";
  const undo: readonly Step[] = ["discard-next", before];
  const hide: readonly Step[] = found.showsName ? ["hide"] : [];
  switch (found.state) {
    case "sealing":
    case "committed":
    case "staged":
      return ["move-back", ...undo];
    case "removing":
      return ["finish-removing", "mark-sealed", ...hide];
    case "sealed":
      return hide;
    case "restoring":
      return ["empty-staging", "mark-sealed", ...hide];
    case "placing":
      return ["remove-page", "move-back", "mark-open"];
    case "mixed":
      return found.unfinished ? ["empty-staging", "restore-modes", ...undo] : [];
    case "open":
      return [];
    case "releasing":
      return ["dismantle"];
    case "erasing":
      return ["erase"];
  }
}
