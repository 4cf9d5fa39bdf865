import { type FolderSecret, isChangeAlone } from "@eremos/core";
import type { Protection } from "../../contract";
import type { Eremos } from "../../eremos";
import { guardingOf, protectionFor, signsOf } from "../../protection";
import { changeGuard } from "./change-guard";
import type { Target } from "./find-target";
import { decodePath } from "../../paths";
import { findUnvisited } from "../folders/visit";
import { desktopSigns } from "../../desktop/integrate";

/**
 * How a folder is locked: changed at once where it is locked, from its next lock on where it lies open. From sealed to
 * another guard, or back, every file is read and written, and a job tells how far that is: its id, else null. @throws
 * EremosError
 */
export async function setProtection(
  eremos: Eremos,
  folder: string,
  asked: Protection,
  secret: FolderSecret | null = null,
): Promise<string | null> {
  const keys = eremos.requireKeys();
  const protection = protectionFor(asked, null);
  const target = await findUnvisited(eremos, folder, "/");
  const { record, located } = target;
  const isOpen = located.inspection.state === "open";
  if (!isOpen && !isChangeAlone(located.inspection.guard, protection.guard))
    return changeGuard(eremos, target, protection, secret);
  if (!isOpen) await changeLocked(eremos, target, protection);
  eremos.requireSame(keys);
  await eremos.ledger.protectedAs(keys, record, protection);
  return null;
}

/** Other bars, or another way to show, of a folder that stays locked. @throws EremosError `path-taken` and refusals */
export function changeLocked(eremos: Eremos, { record, located }: Target, protection: Protection): Promise<unknown> {
  return eremos.run<"change">({
    verb: "change",
    input: {
      path: located.realPath,
      place: decodePath(record.path),
      ...guardingOf(protection, eremos.grounds),
      ...signsOf({ ...protection, kind: record.kind }, desktopSigns(eremos.settings)),
    },
  });
}
