import {
  EremosError,
  type FolderSecret,
  type HandOverInput,
  type HandedOver,
  displayPath,
  inspectFolder,
  isEncrypting,
  isEremosError,
  isInPlaces,
  openWithPassword,
  protectedAbove,
  splitPath,
  wipe,
} from "@eremos/core";
import type { Eremos } from "../../eremos";
import type { StartedJob } from "../../jobs";
import { ownAccount } from "../../session/keys";
import { fullPath } from "../../paths";
import { packagePageBytes } from "../../rescue-files";
import { formatBytes } from "../../size-words";
import { refuseUnfit } from "../entrance/password-strength";
import { findTarget } from "../locking/find-target";
import { withFolderKey } from "../locking/folder-password";
import { sealedInput } from "../locking/sealed-input";
import { said, say } from "@eremos/words/server/handover";

const NO_FOLDER = "";

interface HandOverRequest {
  /** A protected folder, by its path or id; with `isPlain` anything readable. */
  readonly what: string;
  readonly isPlain: boolean;
  /** A folder's own, where it has one. */
  readonly secret: FolderSecret | null;
  /** The package's. */
  readonly password: string;
  readonly to: string;
  readonly from: string;
}

/**
 * Makes a package for somebody else: one page, encrypted under a password of its own. Of a locked folder nothing is
 * decrypted on the disk. @throws EremosError `weak-password` | `path-taken` | `outside-places` | `nested` |
 * `not-protected`, before anything is made
 */
export async function handOver(eremos: Eremos, asked: HandOverRequest): Promise<StartedJob<"hand-over">> {
  await refuseUnfit({ password: asked.password, hint: null });
  await refuseMasterPassword(eremos, asked.password);
  const to = destination(eremos, asked);
  const shared = {
    to,
    password: Buffer.from(asked.password.normalize("NFC")),
    page: packagePageBytes(eremos.settings.program),
  };
  if (asked.isPlain) {
    const what = inPlaces(eremos, fullPath(asked.what, eremos.settings.home, asked.from));
    return begin(eremos, NO_FOLDER, { ...shared, from: { kind: "paths", paths: [what], isOpen: false } });
  }
  const target = findTarget(eremos, asked.what, asked.from);
  const { record, located } = target;
  if (located.inspection.state === "open" || !isEncrypting(located.inspection))
    return begin(eremos, record.id, {
      ...shared,
      from: { kind: "paths", paths: [located.realPath], isOpen: located.inspection.state === "open" },
    });
  return withFolderKey(eremos, target, asked.secret, (folderKey) =>
    begin(eremos, record.id, {
      ...shared,
      from: {
        kind: "sealed",
        name: splitPath(Buffer.from(record.path, "base64")).name,
        visit: {
          ...sealedInput(eremos, target, { folderKey }),
          account: ownAccount(),
          keep: eremos.preferences.get().keepEarlier,
        },
      },
    }),
  );
}

function begin(eremos: Eremos, folder: string, input: HandOverInput): StartedJob<"hand-over"> {
  return eremos.jobs.start({
    folder,
    verb: "hand-over",
    request: { verb: "hand-over", input },
    before: () => undefined,
    after: async (made) => {
      await eremos.ledger.noticed(folder, "handed-over", { count: made.files });
      return sentenceOf(made, input.to);
    },
    failed: async () => undefined,
  });
}

function sentenceOf({ files, size, left }: HandedOver, to: Buffer): string {
  const [first] = left;
  return [
    say("package-is-made", { files, size: formatBytes(size), path: displayPath(to) }),
    ...(first ? [say("stayed-out", { left: left.length, path: first.path, reason: first.reason })] : []),
  ].join(" ");
}

/** Whoever gets the package would have it. */
async function refuseMasterPassword(eremos: Eremos, password: string): Promise<void> {
  const owner = eremos.data.owner();
  if (!owner) return;
  try {
    const { rootKey } = await openWithPassword(owner, password);
    wipe(rootKey);
  } catch (error) {
    if (isEremosError(error) && error.code === "wrong-password") return;
    throw error;
  }
  throw new EremosError("weak-password", said("that-is-the-master-password"));
}

function inPlaces(eremos: Eremos, full: Buffer): Buffer {
  const shown = displayPath(full);
  if (isInPlaces(shown, eremos.places)) return full;
  throw new EremosError("outside-places", said("is-outside-places", { path: shown, places: eremos.places.join(", ") }));
}

/** Where a package may be: not in what is protected, where it would be locked, or lie beside what is. */
function destination(eremos: Eremos, { to, from }: HandOverRequest): Buffer {
  const full = inPlaces(eremos, fullPath(to, eremos.settings.home, from));
  const { parent } = splitPath(full);
  const above = inspectFolder(eremos.disk, parent) ? parent : protectedAbove(eremos.disk, full);
  if (above)
    throw new EremosError("nested", said("lies-in-protected", { path: displayPath(full), above: displayPath(above) }));
  return full;
}
