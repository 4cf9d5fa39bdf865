import { type CheckOutcome, EremosError, type Pieces, displayPath, isEncrypting } from "@eremos/core";
import type { Eremos } from "../../eremos";
import type { StartedJob } from "../../jobs";
import { formatBytes } from "../../size-words";
import type { Target } from "../locking/find-target";
import { withFolderKey } from "../locking/folder-password";
import type { OpenRequest } from "../locking/open-folder";
import { decodePath, fullPath, nameOf } from "../../paths";
import { sealedInput } from "../locking/sealed-input";
import { findUnvisited } from "./visit";
import { said, say } from "@eremos/words/server/folders";

export interface CheckAsked extends Pick<OpenRequest, "pathOrId" | "from" | "secret"> {
  /** Headers, records and index, and a few files at random. */
  readonly sample?: boolean;
}

/** Reads and authenticates the sealed copy, or a sample of it. Changes nothing. @throws EremosError */
export async function check(eremos: Eremos, request: CheckAsked): Promise<StartedJob<"check">> {
  const target = await findUnvisited(eremos, request.pathOrId, request.from);
  requireSealed(target);
  return withFolderKey(eremos, target, request.secret ?? null, (folderKey) =>
    startCheck(eremos, target, folderKey, request.sample ?? false),
  );
}

/** @throws EremosError `unsupported` */
export function requireSealed({ located }: Target): void {
  if (!isEncrypting(located.inspection)) throw new EremosError("unsupported", said("only-sealed-folder-has-encrypted"));
}

function startCheck(eremos: Eremos, target: Target, folderKey: Buffer | null, sample: boolean): StartedJob<"check"> {
  return eremos.jobs.start({
    folder: target.record.id,
    verb: "check",
    request: { verb: "check", input: { ...sealedInput(eremos, target, { folderKey }), sample } },
    before: () => undefined,
    after: async (outcome) => {
      const { keys } = eremos;
      const at = Date.now();
      // The whole list is read again: the folder may have changed meanwhile.
      const record = keys && eremos.registry.list(keys).find(({ id }) => id === target.record.id);
      if (keys && record) eremos.ledger.known(keys, { ...record, lastCheck: { at, ok: outcome.ok, sample } });
      await eremos.ledger.happened(target.record.id, outcome.ok ? "checked" : "damaged");
      return summaryOf(nameOf(decodePath(target.record.path)), outcome, sample);
    },
    failed: async () => undefined,
  });
}

function summaryOf(name: string, { ok, files, bytes, damaged }: CheckOutcome, sample: boolean): string {
  const looked = say("files-and-bytes", { files, bytes: formatBytes(bytes) });
  if (ok)
    return sample ? say("is-whole-as-far-as", { name, looked }) : say("is-whole-every-byte-checked", { name, looked });
  const shown = damaged
    .slice(0, 3)
    .map(({ path, ranges = [] }) => `${path}${ranges.length > 0 ? ` (${describeRanges(ranges)})` : ""}`)
    .join(", ");
  const more = damaged.length > 3 ? say("and-more", { damaged: damaged.length - 3 }) : "";
  return say("is-damaged-in-places-everything", { name, damaged: damaged.length, shown, more, isSample: sample });
}

/** "bytes 65,536 to 131,071". */
export function describeRanges(ranges: readonly { readonly from: number; readonly until: number }[]): string {
  const [first] = ranges;
  if (!first) return "";
  const rest = ranges.length > 1 ? say("and-more-ranges", { ranges: ranges.length - 1, count: ranges.length }) : "";
  return say("bytes", { from: first.from, until: first.until - 1, rest });
}

/**
 * Whether everything that a sealed folder consists of is there, byte for byte, without the password or a session: by
 * the path at which it lies now.
 * @throws EremosError `not-protected` | `not-set-up` | `unvouched`
 */
export async function checkWithoutKey(eremos: Eremos, typed: string, from: string): Promise<Pieces> {
  const owner = eremos.requireOwner();
  const path = fullPath(typed, eremos.settings.home, from);
  const inspection = eremos.glance.inspect(path);
  if (!inspection || !isEncrypting(inspection))
    throw new EremosError("not-protected", said("is-not-sealed-by-eremos", { path: displayPath(path) }));
  return eremos.run<"check-pieces">({
    verb: "check-pieces",
    input: {
      path,
      owner,
      devices: [eremos.data.device.publicKey],
      keptHeader: eremos.registry.header(inspection.folder),
    },
  });
}
