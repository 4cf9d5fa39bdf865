import { isEncrypting } from "@eremos/core";
import type { ActivityEvent, ChartsView } from "../../contract";
import type { Eremos } from "../../eremos";
import { decodePath, nameOf } from "../../paths";
import { entriesOf, foldersIn } from "./history";

/** The night, in hours of this computer's time: from the first until before the second of the next day. */
const NIGHT = { from: 22, until: 6 } as const;
const HOUR_MS = 3_600_000;
const DAY_MS = 24 * HOUR_MS;
/** A year: more days are no chart any more. */
const MOST_DAYS = 366;
const MOST_STATES = 300;

interface Asked {
  readonly folder: string | null;
  readonly from: number | null;
  readonly until: number | null;
}

interface Interval {
  readonly from: number;
  readonly until: number;
}

/** What the charts show of a time. @throws EremosError `needs-sign-in` */
export async function chartsOf(eremos: Eremos, { folder, from, until }: Asked): Promise<ChartsView> {
  const all = await entriesOf(eremos);
  const ofFolder = folder === null ? all : all.filter((event) => event.folder === folder);
  const end = Math.min(until ?? Infinity, Date.now());
  const starts = daysBetween(Math.max(from ?? all[0]?.at ?? end, end - MOST_DAYS * DAY_MS), end);
  const days = starts.slice(0, -1);
  const names = new Map(foldersIn(all).map(({ id, name }) => [id, name]));
  for (const { id, path } of eremos.registry.list(eremos.requireKeys())) names.set(id, nameOf(decodePath(path)));
  return {
    days,
    open: openIn(intervalsOf(ofFolder, openNow(eremos, folder)), starts, names),
    wrong: wrongIn(ofFolder, starts),
    sizes: sizesOf(ofFolder, starts, names),
    proofs: proofsOf(eremos, all, ofFolder, folder),
  };
}

/** When each day begins that the time touches, and the end of the last one. Days of 23 and 25 hours are as they are. */
export function daysBetween(from: number, until: number): number[] {
  const first = new Date(from);
  const starts: number[] = [];
  for (let nth = 0; nth <= MOST_DAYS; nth++) {
    const start = new Date(first.getFullYear(), first.getMonth(), first.getDate() + nth).getTime();
    starts.push(start);
    if (start >= until) break;
  }
  return starts;
}

/** Since when folders lie open now. */
function openNow(eremos: Eremos, folder: string | null): ReadonlyMap<string, number> {
  const notes = eremos.data.notes().filter(({ id, openedAt }) => openedAt > 0 && (folder === null || id === folder));
  return new Map(notes.map(({ id, openedAt }) => [id, openedAt]));
}

/** Each time that a folder lay open: what ends it tells when it began. */
export function intervalsOf(
  events: readonly ActivityEvent[],
  open: ReadonlyMap<string, number>,
  now = Date.now(),
): ReadonlyMap<string, readonly Interval[]> {
  const intervals = new Map<string, Interval[]>();
  const add = (folder: string, interval: Interval): void => {
    const known = intervals.get(folder);
    if (known) known.push(interval);
    else intervals.set(folder, [interval]);
  };
  for (const { folder, kind, since, at } of events)
    if (since !== null && kind !== "visit-ended" && at > since) add(folder, { from: since, until: at });
  for (const [folder, from] of open) add(folder, { from, until: Math.max(from, now) });
  return intervals;
}

/** A day, from midnight to midnight, and its part between the nights. */
interface Day {
  readonly start: number;
  readonly morning: number;
  readonly evening: number;
  readonly end: number;
}

function openIn(
  intervals: ReadonlyMap<string, readonly Interval[]>,
  starts: readonly number[],
  names: ReadonlyMap<string, string>,
): ChartsView["open"] {
  const days = starts.slice(0, -1).map((start, nth) => ({
    start,
    morning: atHour(start, NIGHT.until),
    evening: atHour(start, NIGHT.from),
    end: starts[nth + 1] ?? start,
  }));
  return [...intervals]
    .map(([id, times]) => ({ id, name: names.get(id) ?? "", ...hoursIn(times, days, starts) }))
    .filter(({ day, night }) => [...day, ...night].some((hours) => hours > 0))
    .sort((a, b) => a.name.localeCompare(b.name));
}

/** Each interval is looked at in the days that it touches, so that many of them cost no more than they are. */
function hoursIn(
  times: readonly Interval[],
  days: readonly Day[],
  starts: readonly number[],
): Pick<ChartsView["open"][number], "day" | "night" | "nights"> {
  const day = days.map(() => 0);
  const night = days.map(() => 0);
  const nights = new Set<number>();
  for (const time of times) {
    const first = time.from < (starts[0] ?? 0) ? 0 : dayOf(time.from, starts);
    if (first < 0) continue;
    for (let nth = first; nth < days.length; nth++) {
      const one = days[nth];
      if (!one || one.start >= time.until) break;
      const early = overlap(time, one.start, one.morning);
      const late = overlap(time, one.evening, one.end);
      // A night belongs to the day on which it began.
      if (early > 0) nights.add(nth - 1);
      if (late > 0) nights.add(nth);
      day[nth] = (day[nth] ?? 0) + overlap(time, one.morning, one.evening) / HOUR_MS;
      night[nth] = (night[nth] ?? 0) + (early + late) / HOUR_MS;
    }
  }
  return { day, night, nights: nights.size };
}

function overlap(time: Interval, from: number, until: number): number {
  return Math.max(0, Math.min(time.until, until) - Math.max(time.from, from));
}

function atHour(start: number, hour: number): number {
  return new Date(start).setHours(hour, 0, 0, 0);
}

function wrongIn(events: readonly ActivityEvent[], starts: readonly number[]): ChartsView["wrong"] {
  const none = (): number[] => starts.slice(0, -1).map(() => 0);
  const wrong = { gate: none(), folder: none(), drive: none(), strangers: none() };
  for (const { kind, way, folder, at, count } of events) {
    if (kind !== "wrong" && kind !== "stranger") continue;
    const nth = dayOf(at, starts);
    const counts =
      kind === "stranger"
        ? wrong.strangers
        : way === "drive"
          ? wrong.drive
          : folder !== "" || way === null
            ? wrong.folder
            : wrong.gate;
    const before = counts[nth];
    if (before !== undefined) counts[nth] = before + (count ?? 1);
  }
  return wrong;
}

/** The index of the day that a moment is in; -1: none. */
function dayOf(at: number, starts: readonly number[]): number {
  let [low, high] = [0, starts.length - 1];
  if (at < (starts[0] ?? Infinity) || at >= (starts[high] ?? -Infinity)) return -1;
  while (high - low > 1) {
    const middle = (low + high) >> 1;
    if ((starts[middle] ?? 0) <= at) low = middle;
    else high = middle;
  }
  return low;
}

/** In the time of these days, and of many states as many as a chart can show. */
function sizesOf(
  events: readonly ActivityEvent[],
  starts: readonly number[],
  names: ReadonlyMap<string, string>,
): ChartsView["sizes"] {
  const [from = 0, until = 0] = [starts[0], starts.at(-1)];
  const sizes = new Map<string, { at: number; generation: number; files: number; bytes: number }[]>();
  for (const { folder, at, size } of events) {
    if (!size || at < from || at >= until) continue;
    const known = sizes.get(folder);
    // A lock that changed nothing made no other state.
    if (known?.at(-1)?.generation === size.generation) continue;
    if (known) known.push({ at, ...size });
    else sizes.set(folder, [{ at, ...size }]);
  }
  return [...sizes]
    .map(([id, states]) => ({ id, name: names.get(id) ?? "", states: thinned(states) }))
    .sort((a, b) => a.name.localeCompare(b.name));
}

/** The first, the last, and others as far apart as they have to be. */
function thinned<T>(states: readonly T[]): T[] {
  const step = Math.max(1, states.length / MOST_STATES);
  return states.filter(
    (_, nth) => nth === states.length - 1 || Math.floor(nth / step) !== Math.floor((nth - 1) / step),
  );
}

/** When each way back was seen to work: by the history, and by what is known of the folders where that was cleared. */
function proofsOf(
  eremos: Eremos,
  all: readonly ActivityEvent[],
  ofFolder: readonly ActivityEvent[],
  folder: string | null,
): ChartsView["proofs"] {
  const records = eremos.registry
    .list(eremos.requireKeys())
    .filter((record) => isEncrypting(record) && (folder === null || record.id === folder));
  const known = {
    code: records.map(({ codeProvenAt }) => codeProvenAt),
    shares: records.map(({ sharesProvenAt }) => sharesProvenAt),
    check: records.map(({ lastCheck }) => (lastCheck?.ok ? lastCheck.at : null)),
  };
  const times = (moments: readonly (number | null)[]): number[] =>
    [...new Set(moments.filter((at) => at !== null))].sort((a, b) => a - b);
  const practised = (way: "code" | "shares"): number[] =>
    all.filter((event) => event.kind === "practised" && event.way === way).map(({ at }) => at);
  const signedIn = all.filter(({ kind, way }) => kind === "signed-in" && way === "password").map(({ at }) => at);
  return [
    { way: "password", at: signedIn.slice(-1) },
    { way: "code", at: times([...practised("code"), ...known.code]) },
    ...(eremos.requireOwner().keyholders
      ? [{ way: "shares" as const, at: times([...practised("shares"), ...known.shares]) }]
      : []),
    {
      way: "check",
      at: times([...ofFolder.filter(({ kind }) => kind === "checked").map(({ at }) => at), ...known.check]),
    },
  ];
}
