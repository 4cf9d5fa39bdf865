import { changeVisibility, disk } from "@eremos/core";
import type { Visibility } from "../contract";
import type { Eremos } from "../eremos";
import { lockedPage } from "../page";
import { accessOf } from "../session/keys";
import { findTarget } from "./find-target";

/** What shows of a folder while it is locked: at once where it is locked, at its next lock where it lies open. @throws EremosError */
export async function setVisibility(eremos: Eremos, folder: string, visibility: Visibility): Promise<void> {
  const keys = eremos.requireKeys();
  const { record, located } = findTarget(eremos, folder, "/");
  if (located.inspection.state !== "open") {
    const access = accessOf(keys, eremos.requireOwner(), eremos.data.device.publicKey);
    await changeVisibility(disk, { path: located.realPath, access, keptHeader: eremos.registry.header(record.id), visibility, page: lockedPage(record.id, eremos.settings.port) });
  }
  const note = eremos.data.note(record.id);
  if (note) eremos.data.writeNote({ ...note, visibility });
  eremos.registry.put(keys, { ...record, visibility }, null);
  eremos.announce({ topic: "folders" });
}
