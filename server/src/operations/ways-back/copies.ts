import { EremosError, type RescueSecret, displayPath, isEncrypting } from "@eremos/core";
import type { CopyView } from "../../contract";
import type { Eremos } from "../../eremos";
import type { StartedJob } from "../../jobs";
import { ownAccount } from "../../session/keys";
import { type Target, findTarget } from "../locking/find-target";
import { decodePath, fullPath, nameOf } from "../../paths";
import { sealedInput } from "../locking/sealed-input";
import { findUnvisited } from "../folders/visit";
import { said, say } from "@eremos/words/server/ways-back";

/** More are not listed at once; taking these leaves the rest for the next comparison. */
const MOST_LISTED = 1000;

interface Copy {
  readonly copy: Buffer;
  readonly folder: string;
  readonly secret: RescueSecret;
}

/** @throws EremosError `not-protected` | `needs-folder-password` */
function copyAt(eremos: Eremos, typed: string): Copy {
  const keys = eremos.requireKeys();
  const copy = fullPath(typed, eremos.settings.home);
  const inspection = eremos.glance.inspect(copy);
  if (!inspection || !isEncrypting(inspection))
    throw new EremosError("not-protected", said("there-is-no-sealed-folder", { copy: displayPath(copy) }));
  return {
    copy,
    folder: inspection.folder,
    secret: { kind: "root", rootKey: keys.rootKey, folder: null, devices: [eremos.data.device.publicKey] },
  };
}

/**
 * What a second copy, or a state of another computer, has that the folder in the list has not, and which of the two is
 * newer. @throws EremosError
 */
export async function compareCopies(eremos: Eremos, typed: string, fork: string | null): Promise<CopyView> {
  const { copy, folder, secret } = copyAt(eremos, typed);
  const { record, located } = findTarget(eremos, folder, "/");
  requireLocked({ record, located });
  const { generation, ofOriginal, differences, problems } = await eremos.run<"compare-copy">({
    verb: "compare-copy",
    input: { copy, secret, fork, original: located.realPath },
  });
  return {
    folder,
    name: nameOf(decodePath(record.path)),
    path: displayPath(copy),
    generation,
    ofOriginal,
    problems,
    isCut: differences.length > MOST_LISTED,
    differences: differences.slice(0, MOST_LISTED).map(({ path, kind, size, mtimeNs }) => ({
      id: Buffer.concat(path.flatMap((name) => [Buffer.from("/"), name])).toString("base64"),
      shown: path.map(displayPath).join("/"),
      kind,
      size,
      modifiedAt: Number(mtimeNs / 1_000_000n),
    })),
  };
}

/** Takes files of a second copy into the locked folder; nothing of it is replaced. @throws EremosError */
export async function takeFromCopy(
  eremos: Eremos,
  typed: string,
  fork: string | null,
  ids: readonly string[],
): Promise<StartedJob<"merge-copy">> {
  const { copy, folder, secret } = copyAt(eremos, typed);
  const target = await findUnvisited(eremos, folder, "/");
  requireLocked(target);
  const { record } = target;
  const account = ownAccount();
  const name = nameOf(decodePath(record.path));
  return eremos.jobs.start({
    folder: record.id,
    verb: "merge",
    request: {
      verb: "merge-copy",
      input: {
        copy,
        secret,
        fork,
        paths: ids.map(namesOf),
        original: { ...sealedInput(eremos, target), account, keepEarlier: eremos.preferences.get().keepEarlier },
      },
    },
    before: () => undefined,
    after: async ({ taken, damaged, generation, digest, files, bytes }) => {
      await eremos.ledger.happened(
        record.id,
        "changed",
        { size: { generation, files, bytes } },
        { record: { ...record, generation, digest, files, bytes } },
      );
      eremos.announce({ topic: "folders" });
      return say("files-were-taken-into-encrypted", {
        taken,
        name,
        hasDamaged: damaged.length > 0,
        damaged: damaged.slice(0, 3).join(", "),
        hasMore: damaged.length > 3,
        more: damaged.length - 3,
      });
    },
    failed: async () => undefined,
  });
}

/** A state of another computer is not needed any more. @throws EremosError `not-found` | `busy` */
export async function letForkGo(eremos: Eremos, folder: string, fork: string): Promise<void> {
  eremos.requireKeys();
  const target = await findUnvisited(eremos, folder, "/");
  requireLocked(target);
  const visiting = { account: ownAccount(), keepEarlier: eremos.preferences.get().keepEarlier };
  const input = { ...sealedInput(eremos, target), ...visiting, fork };
  const { generation, digest, files, bytes } = await eremos.ask<"let-fork-go">({ verb: "let-fork-go", input });
  await eremos.ledger.happened(
    target.record.id,
    "changed",
    { size: { generation, files, bytes } },
    { record: { ...target.record, generation, digest, files, bytes } },
  );
  eremos.announce({ topic: "folders" });
}

/** From the id that {@link compareCopies} gave. */
function namesOf(id: string): Buffer[] {
  const bytes = Buffer.from(id, "base64");
  const names: Buffer[] = [];
  for (let at = 1; at <= bytes.length;) {
    const end = bytes.indexOf(0x2f, at);
    names.push(bytes.subarray(at, end < 0 ? bytes.length : end));
    at = end < 0 ? bytes.length + 1 : end + 1;
  }
  return names;
}

/** Files are taken encrypted from one to the other. @throws EremosError `not-locked` */
function requireLocked({ record, located }: Target): void {
  if (located.inspection.state === "sealed") return;
  throw new EremosError("not-locked", said("lies-open-nothing-was-touched", { name: nameOf(decodePath(record.path)) }));
}
