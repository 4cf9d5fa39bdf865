import Papa from "papaparse";
import type * as z from "zod";
import { EremosError, displayPath, isEremosError, systemCode } from "@eremos/core";
import { activityFilterSchema } from "../../calls/shapes/activity";
import type { ActivityFilter, ActivityView, ExportFormat } from "../../contract";
import { reasonOf } from "../../database/open";
import type { Eremos } from "../../eremos";
import { decodePath, encodePath, fullPath } from "../../paths";
import { downloadsOf } from "../folders/traces";
import { entriesOf, filtered, ownAccountOf } from "./history";
import { viewOf } from "./telling";
import { said, say } from "@eremos/words/server/activity";

export interface ExportRequest {
  readonly format: ExportFormat;
  readonly filter: ActivityFilter;
  /** Null: where downloads go. */
  readonly directory: string | null;
  readonly from: string;
}

/** Columns of the CSV form, in their order. Times are ISO 8601, in UTC. */
const COLUMNS = ["time", "folder", "what", "how", "kind", "from", "way", "account", "minutes", "count", "id"] as const;

/**
 * As a table. A cell that a spreadsheet would run (it begins with =, +, -, @, a tab or a line break) is marked with an
 * apostrophe before it. Source: RFC 4180.
 */
export function csvOf(events: readonly ActivityView[]): string {
  const rows = events.map((event) => [
    new Date(event.at).toISOString(),
    event.name,
    event.what,
    event.how,
    event.kind,
    event.from,
    event.way ?? "",
    event.account === null ? "" : event.account.name || String(event.account.uid),
    event.since === null ? "" : String(Math.round((event.at - event.since) / 60_000)),
    event.count === null ? "" : String(event.count),
    event.folder,
  ]);
  return `${Papa.unparse({ fields: [...COLUMNS], data: rows }, { escapeFormulae: true })}\r\n`;
}

/** Every entry that is asked for, by whatever of a filter is given, the newest first. */
export async function exportedEntries(
  eremos: Eremos,
  asked: z.input<typeof activityFilterSchema>,
): Promise<readonly ActivityView[]> {
  const filter = activityFilterSchema.parse(asked);
  return filtered(await entriesOf(eremos), filter, ownAccountOf(eremos))
    .map(viewOf)
    .reverse();
}

/**
 * Writes what is asked for into a file that this account alone may read, which is not encrypted, and knows where it is:
 * it is told among the traces of the folders that it names. @throws EremosError `not-a-folder`, `io`
 */
export async function exportHistory(
  eremos: Eremos,
  { format, filter, directory, from }: ExportRequest,
): Promise<{ readonly path: string; readonly entries: number }> {
  const events = await exportedEntries(eremos, filter);
  const text = format === "csv" ? csvOf(events) : `${JSON.stringify({ events }, null, 1)}\n`;
  const [downloads = eremos.settings.home] = downloadsOf(eremos.settings);
  const place = directory === null ? Buffer.from(downloads) : fullPath(directory, eremos.settings.home, from);
  const day = new Date().toLocaleDateString("sv-SE");
  const written = await write(eremos, place, {
    name: say("file-name", { day }),
    ending: `.${format}`,
    bytes: Buffer.from(text),
  });
  const folders = [...new Set(events.map(({ folder }) => folder))].filter((id) => id !== "");
  const { keys } = eremos;
  if (keys) {
    const known = eremos.documents.get(keys, "exports") ?? [];
    eremos.documents.put(keys, "exports", [...known, { ...written, folders, kind: "history", at: Date.now() }]);
  }
  await eremos.ledger.happened("", "exported", { count: events.length });
  return { path: displayPath(decodePath(written.path)), entries: events.length };
}

interface Written {
  readonly path: string;
  readonly dev: string;
  readonly ino: string;
}

/** @throws EremosError `not-a-folder`, `io` */
async function write(
  eremos: Eremos,
  directory: Buffer,
  file: { readonly name: string; readonly ending: string; readonly bytes: Buffer },
): Promise<Written> {
  try {
    const { path, dev, ino } = await eremos.ask<"write-new">({ verb: "write-new", input: { directory, ...file } });
    return { path: encodePath(path), dev: String(dev), ino: String(ino) };
  } catch (error) {
    const cause: unknown = isEremosError(error) ? error.cause : error;
    const shown = displayPath(directory);
    if (systemCode(cause) === "ENOENT" || systemCode(cause) === "ENOTDIR")
      throw new EremosError("not-a-folder", said("is-no-folder", { directory: shown }));
    throw new EremosError("io", said("export-not-written", { directory: shown, reason: reasonOf(cause ?? error) }));
  }
}
