import { EremosError, changeVisibility, disk, runEngine } from "@eremos/core";
import type { Protection } from "../contract";
import type { Eremos } from "../eremos";
import { guardingOf, placesOf, protectionFor, signsOf } from "../protection";
import { type Target, findTarget } from "./find-target";
import { decodePath } from "./paths";

/**
 * How a folder is locked: changed at once where it is locked, without opening it; from its next lock on where it lies open.
 * @throws EremosError `not-open` where what is sealed should be locked without encryption, or the other way round, and it is locked
 */
export async function setProtection(eremos: Eremos, folder: string, asked: Protection): Promise<void> {
  const keys = eremos.requireKeys();
  const protection = protectionFor(asked, null);
  const target = findTarget(eremos, folder, "/");
  const { record, located } = target;
  if (located.inspection.state !== "open") await change(eremos, target, protection);
  const note = eremos.data.note(record.id);
  if (note) eremos.data.writeNote({ ...note, ...protection });
  eremos.registry.put(keys, { ...record, ...protection }, null);
  eremos.announce({ topic: "folders" });
}

async function change(eremos: Eremos, { record, located }: Target, protection: Protection): Promise<void> {
  const isSealed = located.inspection.guard === "sealed";
  if (isSealed !== (protection.guard === "sealed")) {
    throw new EremosError("not-open", isSealed ? "A sealed folder must be decrypted to be locked in another way. Nothing was touched; open it first, choose, and lock it again." : "To be sealed, its files must be read. Nothing was touched; open it first, choose, and lock it again.");
  }
  const { places, port } = eremos.settings;
  if (!isSealed) {
    const input = { path: located.realPath, place: decodePath(record.path), ...guardingOf(protection, places) };
    await runEngine<"reguard">({ verb: "reguard", input }, () => undefined).outcome;
    return;
  }
  changeVisibility(disk, {
    path: located.realPath, place: decodePath(record.path), visibility: protection.visibility, cover: protection.cover, places: placesOf(places), ...signsOf(record.id, protection, port),
  });
}
