import * as os from "node:os";
import { join as joinPaths } from "node:path";
import {
  type DropSlot,
  EremosError,
  type FolderSecret,
  type Located,
  type Looked,
  OWN_DIR_NAME,
  type TakenBack,
  displayPath,
  isEncrypting,
  isEremosError,
  refuseOffLimits,
} from "@eremos/core";
import type { Eremos } from "../../eremos";
import { causedBy } from "../../ledger/cause";
import type { Keys } from "../../session/keys";
import { BY_HAND, fullPath } from "../../paths";
import type { Dropped, DroppedFound, MovedInView } from "../../contract";
import { withFolderKey } from "../locking/folder-password";
import { sealedInput } from "../locking/sealed-input";
import { findTarget } from "../locking/find-target";
import { said } from "@eremos/words/server/folders";

/**
 * The slot of a locked folder that stands at a path; of one that can't be seen there, where its owner is signed in.
 * Needs nobody to be: the folder says who it is, and the public key is the one in Eremos' own data. @throws EremosError `not-locked` | `not-protected` | `needs-sign-in`
 */
function slotAt(eremos: Eremos, typed: string, from: string): DropSlot {
  if (eremos.keys) {
    const { record, located } = findTarget(eremos, typed, from);
    return slotOf(eremos, record.id, located.realPath);
  }
  const path = fullPath(typed, eremos.settings.home, from);
  const found = eremos.glance.inspect(path);
  if (!found) throw new EremosError("not-protected", said("there-is-no-locked-folder", { path: displayPath(path) }));
  return slotOf(eremos, found.folder, path);
}

function slotOf(eremos: Eremos, folder: string, path: Buffer): DropSlot {
  const known = eremos.registry.slot(folder);
  if (known === null)
    throw new EremosError("not-protected", said("is-not-sealed-folder-yours", { path: displayPath(path) }));
  return { path, folder, publicKey: known.publicKey, place: known.place, device: eremos.data.device };
}

/** Puts copies of files into a locked folder without opening it. Returns how many. @throws EremosError */
export async function drop(eremos: Eremos, folder: string, files: readonly string[], from: string): Promise<number> {
  const input = {
    slot: slotAt(eremos, folder, from),
    files: files.map((file) => fullPath(file, eremos.settings.home, from)),
  };
  const count = await eremos.run<"drop">({ verb: "drop", input });
  await eremos.ledger.noticed(input.slot.folder, "dropped", { count });
  return count;
}

/** What becomes of the originals of what is moved in. */
export type Originals = "remove" | "trash" | "stay";

/**
 * Puts files, and all that is in folders, into a locked folder, and removes the originals, leaves them, or puts them
 * into the trash.
 * @throws EremosError `outside-places` | `off-limits` | `nested` | `not-found`, and as {@link drop}
 */
export async function moveIn(
  eremos: Eremos,
  folder: string,
  typed: readonly string[],
  from: string,
  originals: Originals,
): Promise<MovedInView> {
  const slot = slotAt(eremos, folder, from);
  const paths = typed.map((one) => fullPath(one, eremos.settings.home, from));
  for (const path of paths) {
    // What may not be locked may not go, either.
    refuseOffLimits(path, eremos.offLimits, eremos.places);
    const above = eremos.glance.protectedAbove(path);
    if (above && path.includes(Buffer.from(`/${OWN_DIR_NAME.toString()}`)))
      throw new EremosError("nested", said("belongs-to-eremos", { path: displayPath(path) }));
  }
  const trash = { home: Buffer.from(joinPaths(eremos.settings.dataHome, "Trash")), uid: os.userInfo().uid };
  const moved = await eremos.run<"move-in">({
    verb: "move-in",
    input: { slot, paths, originals: originals === "trash" ? trash : originals },
  });
  await eremos.ledger.noticed(slot.folder, "dropped", { count: moved.files });
  eremos.announce({ topic: "folders" });
  return moved;
}

/**
 * What was moved into a folder on this computer goes back to where it was, while it still waits there. Returns how many
 * files did. @throws EremosError `not-found` where there is nothing, and as opening the folder
 */
export async function takeBackMovedIn(
  eremos: Eremos,
  folder: string,
  secret: FolderSecret | null,
  from = BY_HAND,
): Promise<TakenBack> {
  const target = findTarget(eremos, folder, from);
  const back = await withFolderKey(eremos, target, secret, (folderKey) =>
    eremos.run<"take-back-moved">({
      verb: "take-back-moved",
      input: { ...sealedInput(eremos, target, { folderKey }), device: eremos.data.device.publicKey },
    }),
  );
  if (back.files === 0) throw new EremosError("not-found", said("nothing-was-moved-in"));
  await eremos.ledger.noticed(target.record.id, "taken-back", { count: back.files });
  eremos.announce({ topic: "folders" });
  return back;
}

/**
 * What programs saved into locked folders that stand in view is sealed, and waits to be taken in. Returns how many
 * files were.
 */
export async function sealArrivals(eremos: Eremos, keys: Keys, looked: readonly Looked[]): Promise<number> {
  let taken = 0;
  const sealed = new Map(
    eremos.registry
      .list(keys)
      .filter(isEncrypting)
      .map((record) => [record.id, record]),
  );
  for (const { id, located, ownDirPlace } of looked.filter((one) => sealed.has(one.id))) {
    const publicKey = sealed.get(id)?.publicKey ?? "";
    try {
      if (located?.inspection.state === "sealed" && publicKey !== "")
        eremos.ledger.slotSeen(id, publicKey, ownDirPlace);
      if (!located || !mayTake(located)) continue;
      const count = await eremos.run<"seal-newcomers">({
        verb: "seal-newcomers",
        input: slotOf(eremos, id, located.realPath),
      });
      taken += count;
      if (count > 0) await causedBy({ from: "itself" }, () => eremos.ledger.noticed(id, "dropped", { count }));
    } catch (error) {
      // It waits until the next time; the folder's page says that it is there.
      if (!isEremosError(error)) throw error;
    }
  }
  if (taken > 0) eremos.announce({ topic: "folders" });
  return taken;
}

function mayTake({ inspection }: Located): boolean {
  return (
    inspection.state === "sealed" && inspection.visibility === "view" && !inspection.busy && inspection.arrivals > 0
  );
}

const LONGEST_LOOK_MS = 5000;
const found = new Map<string, string>();

/**
 * The slot of a folder that stands locked in view, by the id that the page in it tells; null where there is none.
 * Nobody need be signed in: whoever is at this keyboard sees the folder anyway.
 */
export async function findSlot(eremos: Eremos, folder: string): Promise<DropSlot | null> {
  if (eremos.registry.slot(folder) === null) return null;
  const known = found.get(folder);
  const slot = { folder, place: eremos.registry.slot(folder)?.place ?? null };
  const path =
    known !== undefined && eremos.glance.isSlot(known, slot)
      ? known
      : await eremos.looker.slot({ ...slot, places: eremos.places, longestMs: LONGEST_LOOK_MS });
  if (path === null) return null;
  found.set(folder, path);
  return slotOf(eremos, folder, Buffer.from(path));
}

const LONGEST_SEARCH_MS = 20_000;

/** Where something lies that was dropped on the page. @throws EremosError `needs-sign-in` */
export async function findDropped(eremos: Eremos, dropped: Dropped): Promise<DroppedFound> {
  eremos.requireKeys();
  return eremos.looker.dropped({ dropped, places: eremos.places, longestMs: LONGEST_SEARCH_MS });
}
