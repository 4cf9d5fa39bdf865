import { keepInsured } from "../../insurance";
import type { Dir, Disk } from "../../platform/port";

/**
 * What follows every commit from below it, before anything that nothing refers to any more goes. `stays`: whether an
 * object is still there afterwards, by its name. Returns false where nothing may go yet; never fails the commit.
 */
type AfterCommit = (disk: Disk, ownDir: Dir, stays: (object: string) => boolean) => boolean;

/** The one place where the engine's commits enter it. */
const AFTER_COMMIT: readonly AfterCommit[] = [keepInsured];

/** Each is asked, whatever another answers. */
export const followCommit: AfterCommit = (disk, ownDir, stays) =>
  AFTER_COMMIT.map((follow) => follow(disk, ownDir, stays)).every(Boolean);

/** After a commit that nothing goes by. */
export function followCommitWhole(disk: Disk, ownDir: Dir): void {
  followCommit(disk, ownDir, () => true);
}
