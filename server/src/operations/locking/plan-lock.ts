import { displayPath, fromSystemError, previewLock } from "@eremos/core";
import type { PlanView, Protection } from "../../contract";
import type { Eremos } from "../../eremos";
import { kindOf, refuseToLock } from "./lock-folder";
import { fullPath, nameOf } from "../../paths";

/** What locking this folder would take, or why it can't be locked. Touches nothing. */
export function planLock(
  eremos: Eremos,
  typed: string,
  { guard, visibility }: Pick<Protection, "guard" | "visibility">,
): PlanView {
  eremos.requireKeys();
  const path = fullPath(typed, eremos.settings.home);
  const base = {
    kind: kindOf(eremos, path),
    path: displayPath(path),
    name: nameOf(path),
    files: 0,
    bytes: 0,
    outsideLinks: [],
    foreign: [],
    holders: [],
    tellsWriters: true,
    strategy: "whole" as const,
  };
  try {
    refuseToLock(eremos, path);
    const preview = previewLock(eremos.disk, { guard, path, visibility, ...eremos.grounds });
    return { ...base, ...preview, refusal: null };
  } catch (caught) {
    const { code, message, data } = fromSystemError(caught, "looking at the folder");
    return { ...base, refusal: { code, message, data } };
  }
}
