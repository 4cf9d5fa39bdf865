import * as fs from "node:fs";
import * as path from "node:path";
import { EremosError, fromSystemError } from "../../errors/eremos-error";
import { whatContradicts } from "../contradiction";
import { ReadableCopy } from "./copy-readable";
import { directorySource } from "../directory-source";
import { type Dresser, plainDresser } from "../dresser";
import { findLocked } from "../find-locked";
import { HeldDirectory } from "../held-directory";
import type { RescueSecret } from "../keys-of-folder";
import { type LockedFolder, openLocked } from "../locked-folder";
import { Out } from "./out";
import { OWN_DIR, STAGING, plainBy, readableUnencrypted, readableUnsealed } from "./readable";
import type { RescueProgress, RescueReport } from "./report";
import { said, say } from "@eremos/words/core/rescue";

export interface RescueOptions {
  /** Of the locked folder, wherever it lies and whatever it is called now. */
  readonly folder: Buffer;
  /** A directory that is made, or is empty. */
  readonly to: Buffer;
  /** Asked only where it is needed: a barred folder, or one out of sight, is not encrypted. */
  readonly secret: () => Promise<RescueSecret>;
  readonly progress?: (progress: RescueProgress) => void;
  /** Also where nobody known stands behind what was locked. */
  readonly acceptUnknown?: boolean;
  /** What gives entries all that belongs to them; plain Node where there is nothing better. */
  readonly dresser?: Dresser;
}

/**
 * Brings everything out of a locked folder into a directory beside it, and changes nothing in the folder. Needs neither
 * Eremos' database nor its engine. What is damaged is told with its byte ranges; everything else comes out.
 * @throws EremosError `unvouched` | `not-protected` | `wrong-password` | `wrong-code` | `needs-folder-password` |
 * `path-taken` | `no-space` | `damaged`
 */
export async function rescue(options: RescueOptions): Promise<RescueReport> {
  const { folder, to } = options;
  requireApart(folder, to);
  const contradiction = await whatContradicts(directorySource(folder));
  const readable =
    (await readableUnencrypted(folder)) ?? (contradiction === null ? await readableUnsealed(folder) : null);
  if (!readable) await findLocked(directorySource(folder));
  const locked = readable ? null : await openLocked(directorySource(folder), await options.secret());
  try {
    if (locked?.doubt && !options.acceptUnknown)
      throw new EremosError("unvouched", said("nothing-was-brought-out-do", { doubt: locked.doubt }));
    const out = new Out(prepare(to), options.dresser ?? plainDresser, options.progress);
    const copy = new ReadableCopy(out, folder);
    try {
      if (locked) await bringOut(out, copy, locked);
      else if (readable) for (const inner of readable.plain) copy.copyTree(inner, readable, "instead");
      const { generation = null, place = null, problems = [], doubt = null } = locked ?? {};
      return {
        ...out.finish(),
        guard: readable?.guard ?? "sealed",
        generation,
        place: place?.toString("utf8") ?? null,
        problems: [
          ...(doubt === null ? [] : [doubt]),
          ...(contradiction !== null && locked ? [say("what-is-encrypted-was-brought", { contradiction })] : []),
          ...(readable?.problems ?? problems),
        ],
      };
    } finally {
      out.close();
    }
  } catch (error) {
    throw fromSystemError(error, said("bringing-files-out-locked-folder"));
  } finally {
    locked?.close();
  }
}

/** @throws EremosError `usage` where one lies in the other */
function requireApart(folder: Buffer, to: Buffer): void {
  const [a, b] = [folder, to].map((one) => path.resolve(one.toString("utf8")) + path.sep);
  if (a && b && (b.startsWith(a) || a.startsWith(b)))
    throw new EremosError("usage", said("bring-files-out-into-another"));
}

/** @throws EremosError `path-taken` */
function prepare(to: Buffer): HeldDirectory {
  fs.mkdirSync(to, { recursive: true, mode: 0o700 });
  const held = HeldDirectory.open(to);
  if (held.list().length === 0) return held;
  held.close();
  throw new EremosError("path-taken", said("there-is-something-in-already", { to: to.toString("utf8") }));
}

/** The sealed copy, what lies readable beside it, and what waits in the drop slot. */
async function bringOut(out: Out, copy: ReadableCopy, locked: LockedFolder): Promise<void> {
  const { state } = locked;
  await out.writeTree(locked);
  // File by file, what is plain is the true one where both have a file; else what lies readable in a locked folder came
  // meanwhile.
  const how = state?.mixed ? "instead" : "beside";
  // In rounds of opening, half-written files lie in `staging`.
  if (state?.mixed && state.state !== "mixed") copy.copyTree([OWN_DIR, STAGING], plainBy(state), how);
  // Where it is said to lie open, and does not, what it shows while it is locked is not in the record.
  copy.copyTree([], plainBy(state?.state === "open" ? null : state), how);
  for (const { name, content } of await locked.drops()) out.writeDropped(name, content);
}
