import { displayPath, fromSystemError } from "@eremos/core";
import type { PlanView, Protection } from "../../contract";
import type { Eremos } from "../../eremos";
import { kindOf, refuseToLock } from "./lock-folder";
import { fullPath, nameOf } from "../../paths";
import { said } from "@eremos/words/server/locking";
import { errorView } from "../../error-view";

/** What locking this folder would take, or why it can't be locked. Touches nothing. */
export async function planLock(
  eremos: Eremos,
  typed: string,
  { guard, visibility }: Pick<Protection, "guard" | "visibility">,
): Promise<PlanView> {
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
    const input = { guard, path, visibility, ...eremos.grounds };
    const preview = await eremos.run<"preview">({ verb: "preview", input });
    return { ...base, ...preview, refusal: null };
  } catch (caught) {
    return { ...base, refusal: errorView(fromSystemError(caught, said("looking-at-folder"))) };
  }
}
