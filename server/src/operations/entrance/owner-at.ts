import {
  EremosError,
  type OwnerEnvelope,
  directorySource,
  displayPath,
  findLocked,
  readGuardOwner,
} from "@eremos/core";
import { said } from "@eremos/words/server/entrance";

/** Whose folder it is, by what it carries itself. @throws EremosError `not-protected` | `damaged` */
export async function readOwnerAt(path: Buffer): Promise<OwnerEnvelope> {
  const source = directorySource(path);
  const guarded = await readGuardOwner(source);
  if (guarded) return guarded;
  const [head] = (await findLocked(source)).heads;
  if (!head) throw new EremosError("damaged", said("header-cant-be-read-nothing", { path: displayPath(path) }));
  return head.header.owner;
}
