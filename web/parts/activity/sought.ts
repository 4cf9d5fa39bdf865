import type { ActivityFilter, ActivityGroup, ActivityWho } from "@eremos/server/contract";
import { say } from "@eremos/words/page/activity";

/** What somebody looks for in the history, as they choose it. */
export interface Sought {
  /** An id; null: every folder. */
  readonly folder: string | null;
  readonly group: ActivityGroup | null;
  readonly who: ActivityWho | null;
  readonly time: Time;
  /** As a date field gives them; for `days`. */
  readonly fromDay: string;
  readonly toDay: string;
  readonly find: string;
}

type Time = "any" | "week" | "month" | "quarter" | "year" | "days";
const DAYS: Readonly<Record<Exclude<Time, "any" | "days">, number>> = { week: 7, month: 28, quarter: 90, year: 365 };

export const EVERYTHING: Sought = {
  folder: null,
  group: null,
  who: null,
  time: "any",
  fromDay: "",
  toDay: "",
  find: "",
};

export const TIMES: readonly (readonly [Time, string])[] = [
  ["any", say("any-time")],
  ["week", say("days-week")],
  ["month", say("days-month")],
  ["quarter", say("days-quarter")],
  ["year", say("days-year")],
  ["days", say("from-to")],
];

export const GROUPS: readonly (readonly [ActivityGroup, string])[] = [
  ["opening", say("group-opening")],
  ["locking", say("group-locking")],
  ["tries", say("group-tries")],
  ["entrance", say("group-entrance")],
  ["secrets", say("group-secrets")],
  ["care", say("group-care")],
  ["removing", say("group-removing")],
  ["settings", say("group-settings")],
];

export const WHO: readonly (readonly [ActivityWho, string])[] = [
  ["page", say("who-page")],
  ["command-line", say("who-command-line")],
  ["menu", say("who-menu")],
  ["drive", say("who-drive")],
  ["itself", say("who-itself")],
  ["signed-out", say("who-signed-out")],
  ["others", say("who-others")],
];

export function isEverything(sought: Sought, but: Partial<Sought> = {}): boolean {
  const before = { ...EVERYTHING, ...but };
  return (Object.keys(before) as (keyof Sought)[]).every((name) => sought[name] === before[name]);
}

/** From when on, and before when; whole days, so that the same is asked all day long. */
export function timeOf(
  { time, fromDay, toDay }: Pick<Sought, "time" | "fromDay" | "toDay">,
  now = new Date(),
): Pick<ActivityFilter, "from" | "until"> {
  if (time === "any") return { from: null, until: null };
  if (time === "days") return { from: startOf(fromDay, 0), until: startOf(toDay, 1) };
  return { from: new Date(now.getFullYear(), now.getMonth(), now.getDate() - DAYS[time] + 1).getTime(), until: null };
}

/** The beginning of a day, so many days on; null: none was given. */
function startOf(day: string, on: number): number | null {
  const [year, month, date] = day.split("-").map(Number);
  if (year === undefined || month === undefined || date === undefined || Number.isNaN(year + month + date)) return null;
  return new Date(year, month - 1, date + on).getTime();
}

export function filterOf(sought: Sought): ActivityFilter {
  const { folder, group, who, find } = sought;
  return { folder, groups: group === null ? [] : [group], who, find: find.trim(), ...timeOf(sought) };
}

/** "in the last 28 days", for a sentence. */
export function whenWords({ time }: Pick<Sought, "time">): string {
  return say(`when-${time}`);
}
