import { randomUUID } from "node:crypto";
import { EremosError, type HiddenFound, type ShortOutcomes, type Undo, displayPath, isInPlaces } from "@eremos/core";
import type { HiddenView } from "../../contract";
import type { Eremos } from "../../eremos";
import { said } from "@eremos/words/server/ways-back";

const MOST_REMEMBERED = 100;

/** What was found that is hidden by other means, and what was brought back before. */
export function hiddenView(eremos: Eremos): HiddenView {
  const keys = eremos.requireKeys();
  const { found, scripts, ...rest } = eremos.hiddenFinder.state;
  return {
    ...rest,
    found: found.map(({ id, path, shown, means, type, files, bytes, probably, name }) => ({
      id,
      path: displayPath(path),
      shown,
      means,
      type,
      files,
      bytes,
      probably,
      name,
    })),
    scripts: scripts.map(({ id, shown, does, hasPassword, targetShown }) => ({
      id,
      shown,
      does,
      hasPassword,
      target: targetShown,
    })),
    brought: (eremos.documents.get(keys, "brought") ?? []).map(({ id, at, shown, now }) => ({ id, at, shown, now })),
  };
}

/**
 * Brings one back that was found. Returns where it is now. @throws EremosError `not-found` | `no-permission` |
 * `outside-places`
 */
export async function bringFound(eremos: Eremos, id: string): Promise<string> {
  const found = eremos.hiddenFinder.state.found.find((one) => one.id === id);
  if (!found) throw gone();
  requireInPlaces(eremos, found.path);
  const { path, undo } = await bring(eremos, found.spot, null);
  remember(eremos, found.shown, path, undo);
  eremos.hiddenFinder.show({ found: eremos.hiddenFinder.state.found.filter((one) => one.id !== id) });
  return displayPath(path);
}

/**
 * A home-made lock's folder is brought back, and its script removed, since the folder does not depend on it any more.
 * Returns where the folder is now, or null where none was found. @throws EremosError as {@link bringFound}
 */
export async function undoScriptLock(eremos: Eremos, id: string): Promise<string | null> {
  const script = eremos.hiddenFinder.state.scripts.find((one) => one.id === id);
  if (!script) throw gone();
  requireInPlaces(eremos, script.path);
  const brought = script.targetSpot && (await bring(eremos, script.targetSpot, script.originalName));
  const removed = await eremos.ask<"remove-script">({ verb: "remove-script", input: script.spot });
  remember(eremos, script.shown, brought?.path ?? script.path, [removed, ...(brought?.undo ?? [])]);
  const { found, scripts } = eremos.hiddenFinder.state;
  eremos.hiddenFinder.show({
    scripts: scripts.filter((one) => one.id !== id),
    found: found.filter(({ path }) => !(script.target?.equals(path) ?? false)),
  });
  return brought ? displayPath(brought.path) : null;
}

/** Hides one again as it was. @throws EremosError `not-found` */
export async function hideAgain(eremos: Eremos, id: string): Promise<void> {
  const keys = eremos.requireKeys();
  const all = eremos.documents.get(keys, "brought") ?? [];
  const one = all.find((known) => known.id === id);
  if (!one) throw gone();
  await eremos.ask<"put-back-hidden">({ verb: "put-back-hidden", input: one.undo });
  eremos.requireSame(keys);
  eremos.documents.put(
    keys,
    "brought",
    (eremos.documents.get(keys, "brought") ?? []).filter((known) => known.id !== id),
  );
  eremos.announce({ topic: "scan" });
}

function bring(eremos: Eremos, spot: HiddenFound["spot"], wanted: string | null): Promise<ShortOutcomes["bring-back"]> {
  return eremos.ask<"bring-back">({ verb: "bring-back", input: { spot, wanted } });
}

function remember(eremos: Eremos, shown: string, now: Buffer, undo: readonly Undo[]): void {
  const keys = eremos.requireKeys();
  const before = eremos.documents.get(keys, "brought") ?? [];
  eremos.documents.put(
    keys,
    "brought",
    [{ id: randomUUID(), at: Date.now(), shown, now: displayPath(now), undo: [...undo] }, ...before].slice(
      0,
      MOST_REMEMBERED,
    ),
  );
}

/** What lies elsewhere is other people's, or the system's. */
function requireInPlaces(eremos: Eremos, path: Buffer): void {
  if (!isInPlaces(displayPath(path), eremos.places))
    throw new EremosError("outside-places", said("is-not-in-one-your", { path: displayPath(path) }));
}

function gone(): EremosError {
  return new EremosError("not-found", said("it-is-not-in-list"));
}
