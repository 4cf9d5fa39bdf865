import { EremosError, whyOffLimits } from "@eremos/core";
import type { LockingRules, OffLimitsView, PreferencesView } from "../../contract";
import type { Eremos } from "../../eremos";
import { MINUTE_MS, deadlineOf } from "../../locking-rules";
import { typedPath } from "../../paths";
import { isDirectory } from "../../settings";
import { findTarget } from "../locking/find-target";
import { said, say } from "@eremos/words/server/folders";

/** Preferences that change nothing but how the page looks. */
const LOOKS: ReadonlySet<string> = new Set(["theme", "desk"]);

/** A folder's own rules, from now on; null: as set for all. An open folder follows them at once. */
export async function setRules(eremos: Eremos, folder: string, rules: LockingRules | null): Promise<void> {
  const keys = eremos.requireKeys();
  const { record } = findTarget(eremos, folder, "/");
  const now = rules ?? eremos.preferences.get().rules;
  await eremos.ledger.ruled(keys, record, rules, { rules: now, locksAt: deadlineOf(now, Date.now()) });
  eremos.knownOpen.forget(record.id);
}

/** An open folder stays open for so many minutes from now. @throws EremosError `not-open` */
export function keepOpen(eremos: Eremos, folder: string, minutes: number): void {
  const { record, located } = findTarget(eremos, folder, "/");
  const note = eremos.data.note(record.id);
  if (!note || located.inspection.state !== "open") throw new EremosError("not-open", said("it-is-not-open-now"));
  const staysUntil = Date.now() + minutes * MINUTE_MS;
  eremos.ledger.renoted({
    ...note,
    staysUntil,
    locksAt: note.locksAt === null ? null : Math.max(note.locksAt, staysUntil),
  });
  eremos.knownOpen.forget(record.id);
  eremos.announce({ topic: "folders" });
}

/** @throws EremosError `usage` when a pattern would forbid every folder there is */
export async function setOffLimits(eremos: Eremos, edits: OffLimitsView): Promise<void> {
  eremos.requireKeys();
  const added = edits.added.map(({ path, reason }) => ({
    path: path.length > 1 ? path.replace(/\/+$/, "") : path,
    reason: reason === "" ? say("you-put-it-on-this") : reason,
  }));
  const [widest] = added.filter(
    ({ path }) =>
      whyOffLimits("/home/somebody/anything", [{ path, covers: "everything", reason: "", removable: true }], []) !==
      null,
  );
  if (widest) throw new EremosError("usage", said("would-put-every-folder-off", { path: widest.path }));
  eremos.preferences.set({ offLimits: { added, removed: [...edits.removed] } });
  await eremos.ledger.happened("", "settings");
  eremos.announce({ topic: "session" });
}

/** Paths as a person types them. @throws EremosError `usage` for a place that is no directory */
export async function setPreferences(
  eremos: Eremos,
  { synced, places, ...change }: Partial<Omit<PreferencesView, "keepHistory">>,
): Promise<void> {
  eremos.requireKeys();
  const typed = (path: string): string => typedPath(path, eremos.settings.home);
  const existing = (place: string): string => {
    if (isDirectory(place)) return place;
    throw new EremosError("usage", said("place-is-no-folder", { place }));
  };
  eremos.preferences.set({
    ...change,
    ...(synced && { synced: synced.map(typed) }),
    ...(places && { places: places.map((place) => existing(typed(place))) }),
  });
  if (change.rules) await eremos.ledger.happened("", "rules");
  else if (synced || places || Object.keys(change).some((name) => !LOOKS.has(name)))
    await eremos.ledger.happened("", "settings");
  for (const topic of ["session", "folders"] as const) eremos.announce({ topic });
}
