import type { FileEntry, TreeReader } from "../../format/tree";
import type { Dir } from "../../platform/port";
import type { FileIds } from "../ground";

/** The plain tree as it was sealed: what each entry must still be before it may go. */
export interface Sealed {
  readonly tree: TreeReader;
  readonly identities: FileIds;
  /** Status times after our own moves, by inode: moving an entry changes the time of all its hard links. */
  readonly moved: Map<bigint, bigint>;
  /** Whether a file's content is the sealed one's; null where identities can be trusted. */
  readonly sameContent: ((dir: Dir, entry: FileEntry) => boolean) | null;
  /** Who writes to a file by now, through whatever path, would write to what is gone. */
  readonly refusesWriters: boolean;
  /**
   * Most files are gone already: what is left is directories, whose times that changed, links, and files with several
   * names.
   */
  readonly mixed: boolean;
}
