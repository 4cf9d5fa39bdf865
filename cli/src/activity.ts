import { EremosError } from "@eremos/core";
import { type ActivityView, csvOf, exportedEntries, folderNamed } from "@eremos/server";
import { type Command, noWords, only, openGate, withEremos } from "./invocation";
import { said, say } from "@eremos/words/cli";

/** What happened, the newest first: all of it, of one folder, or since a day. */
export const activityCommand: Command<"activity"> = async (invocation) => {
  only(invocation, "password-stdin", "folder", "since", "csv");
  noWords(invocation);
  const { csv, json, folder, since } = invocation.flags;
  if (csv === true && json === true) throw new EremosError("usage", said("csv-or-json"));
  const from = typeof since === "string" ? momentOf(since) : null;
  return withEremos(invocation, async (eremos) => {
    await openGate(eremos, invocation);
    const events = await exportedEntries(eremos, {
      folder: typeof folder === "string" ? await folderNamed(eremos, folder, process.cwd()) : null,
      from,
    });
    return { result: { events }, lines: csv === true ? csvOf(events).trimEnd().split("\r\n") : linesOf(events) };
  });
};

/** The beginning of a day here, or a time of it. @throws EremosError `usage` */
function momentOf(since: string): number {
  const isDay = /^\d{4}-\d\d-\d\d$/.test(since);
  const isTime = /^\d{4}-\d\d-\d\dT\d\d:\d\d(?::\d\d)?(?:Z|[+-]\d\d:\d\d)?$/.test(since);
  const at = isDay || isTime ? new Date(isDay ? `${since}T00:00` : since).getTime() : Number.NaN;
  if (Number.isNaN(at)) throw new EremosError("usage", said("since-takes-a-day", { since }));
  return at;
}

function linesOf(events: readonly ActivityView[]): string[] {
  if (events.length === 0) return [say("nothing-has-happened")];
  return events.map(({ at, name, what, how }) => {
    const time = new Date(at).toLocaleString("sv-SE", { dateStyle: "short", timeStyle: "short" });
    return [time, ...(name === "" ? [] : [name]), what, `(${how})`].join("  ");
  });
}
