import type { z } from "zod";
import { EremosError, isEremosError } from "@eremos/core";
import { ACTIVITY_GROUPS, type activityAskedSchema } from "../../calls/shapes/activity";
import type { ActivityEvent, ActivityFilter, ActivityPage, ActivityWho } from "../../contract";
import type { Eremos } from "../../eremos";
import { findRecord } from "../locking/find-target";
import { said, say } from "@eremos/words/server/activity";
import { viewOf } from "./telling";

/** What happened, the newest first, as far as it is asked for. @throws EremosError `needs-sign-in` */
export async function activityOf(eremos: Eremos, asked: z.output<typeof activityAskedSchema>): Promise<ActivityPage> {
  const { skip, limit, filter } = asked;
  const all = await entriesOf(eremos);
  const matching = filtered(all, filter, ownAccountOf(eremos));
  const events: ActivityEvent[] = [];
  for (let nth = matching.length - 1 - skip; nth >= 0 && events.length < limit; nth--) {
    const event = matching[nth];
    if (event) events.push(event);
  }
  return { events: events.map(viewOf), total: matching.length, all: all.length, folders: foldersIn(all) };
}

/** All entries, the oldest first. */
export function entriesOf(eremos: Eremos): Promise<readonly ActivityEvent[]> {
  return eremos.holding((keys) => eremos.registry.log.load(keys));
}

/**
 * A folder's id: by that, its path, or the name it had, also of one that is not in the list any more. @throws EremosError
 * `not-found`
 */
export async function folderNamed(eremos: Eremos, asked: string, from: string): Promise<string> {
  try {
    return findRecord(eremos, asked, from).id;
  } catch (error) {
    if (!isEremosError(error) || error.code !== "not-protected") throw error;
  }
  const known = foldersIn(await entriesOf(eremos)).find(({ id, name }) => id === asked || name === asked);
  if (!known) throw new EremosError("not-found", said("no-folder-with-that-name", { folder: asked }));
  return known.id;
}

export function ownAccountOf(eremos: Eremos): number {
  return eremos.gate.caller;
}

/** Those that a filter asks for. `own`: this account. */
export function filtered(
  all: readonly ActivityEvent[],
  { folder, groups, who, from, until, find }: ActivityFilter,
  own: number,
): readonly ActivityEvent[] {
  const kinds: ReadonlySet<string> | null =
    groups.length === 0 ? null : new Set(groups.flatMap((group) => ACTIVITY_GROUPS[group]));
  const words = find.toLowerCase().split(/\s+/).filter(Boolean);
  const texts = new Map<string, string>();
  const isFound = (event: ActivityEvent): boolean => {
    const text = textOf(event, texts);
    return words.every((word) => text.includes(word));
  };
  return all.filter(
    (event) =>
      (from === null || event.at >= from) &&
      (until === null || event.at < until) &&
      (folder === null || event.folder === folder) &&
      (kinds === null || kinds.has(event.kind)) &&
      (who === null || isBy(event, who, own)) &&
      (words.length === 0 || isFound(event)),
  );
}

function isBy({ from, signedIn, account, kind }: ActivityEvent, who: ActivityWho, own: number): boolean {
  if (who === "signed-out") return !signedIn && kind !== "signed-in";
  if (who === "others") return kind === "stranger" || (account !== null && account.uid !== own);
  return from === who;
}

/** An entry's words without its numbers: so many entries have the same ones that they are made once. */
function textOf(event: ActivityEvent, texts: Map<string, string>): string {
  const { kind, way, why, from, signedIn, account, name, folder } = event;
  const key = [kind, way, why, from, signedIn, account?.uid, account?.name, folder === "", name].join("\0");
  const known = texts.get(key);
  if (known !== undefined) return known;
  const { what, how } = viewOf({ ...event, since: null, count: 2, size: null });
  const text = `${name} ${what} ${how}`.toLowerCase();
  texts.set(key, text);
  return text;
}

const ofFolders = new WeakMap<readonly ActivityEvent[], ActivityPage["folders"]>();

/** Every folder that is told of, by the name that it had last. */
export function foldersIn(all: readonly ActivityEvent[]): ActivityPage["folders"] {
  const known = ofFolders.get(all);
  if (known) return known;
  const names = new Map<string, string>();
  for (const { folder, name } of all) if (folder !== "" && (name !== "" || !names.has(folder))) names.set(folder, name);
  const folders = [...names]
    .map(([id, name]) => ({ id, name: name === "" ? say("since-folder") : name }))
    .sort((a, b) => a.name.localeCompare(b.name));
  ofFolders.set(all, folders);
  return folders;
}
