import type { ActivityEvent, SinceView } from "../../contract";
import type { Eremos } from "../../eremos";
import { say } from "@eremos/words/server/activity";
import { entriesOf, ownAccountOf } from "./history";

const MOST_LINES = 4;
const DAY_MS = 24 * 3_600_000;
type Line = SinceView["lines"][number];

/** What matters of what happened since whoever is signed in was here last. @throws EremosError `needs-sign-in` */
export async function sinceLastTime(eremos: Eremos): Promise<SinceView> {
  const all = await entriesOf(eremos);
  const from = whenLeft(all);
  if (from === null) return { since: null, lines: [] };
  const begun = lastSignIn(all, all.length);
  const missed = all.filter(({ at }, nth) => at > from && nth < begun);
  return { since: from, lines: linesOf(missed, ownAccountOf(eremos), Date.now()) };
}

/** When the session in the page before this one ended, or else began; null where there was none. */
function whenLeft(all: readonly ActivityEvent[]): number | null {
  const before = lastSignIn(all, lastSignIn(all, all.length));
  if (before < 0) return null;
  const left = all.find(({ kind }, nth) => nth > before && kind === "signed-out");
  return (left ?? all[before])?.at ?? null;
}

/** The last one in the page, before an entry; -1: none. */
function lastSignIn(all: readonly ActivityEvent[], before: number): number {
  for (let nth = before - 1; nth >= 0; nth--) if (isOfPage(all[nth])) return nth;
  return -1;
}

function isOfPage(event: ActivityEvent | undefined): boolean {
  return event?.kind === "signed-in" && event.from === "page";
}

/** The gravest first. `own`: this account. */
export function linesOf(missed: readonly ActivityEvent[], own: number, now: number): readonly Line[] {
  return [
    ...wrongTries(missed, now),
    ...strangers(missed, own, now),
    ...elsewhere(missed, now),
    ...damages(missed, now),
    ...locks(missed, now),
    ...drops(missed, now),
  ].slice(0, MOST_LINES);
}

const sum = (events: readonly ActivityEvent[]): number => events.reduce((all, { count }) => all + (count ?? 1), 0);
const last = (events: readonly ActivityEvent[]): ActivityEvent | undefined => events.at(-1);
const nameOf = ({ name }: ActivityEvent): string => (name === "" ? say("since-folder") : name);

/** Those of a day by themselves, so that each says when. */
function wrongTries(missed: readonly ActivityEvent[], now: number): Line[] {
  const wrong = missed.filter(({ kind }) => kind === "wrong");
  return [...grouped(wrong, ({ at }) => partOf(at, now))].reverse().map(([when, events]) => {
    const ways = new Set(events.map(({ way }) => way));
    const [way = null] = ways;
    const count = sum(events);
    const text =
      ways.size === 1 && way !== null
        ? say("since-wrong", { count, way: say(`way-${way}`), when })
        : say("since-wrong-tries", { count, when });
    return { text, isWarning: true, folder: "" };
  });
}

function grouped<T>(all: readonly T[], by: (one: T) => string): Map<string, T[]> {
  const groups = new Map<string, T[]>();
  for (const one of all) groups.set(by(one), [...(groups.get(by(one)) ?? []), one]);
  return groups;
}

function strangers(missed: readonly ActivityEvent[], own: number, now: number): Line[] {
  const theirs = missed.filter(({ kind, account }) => kind === "stranger" && account?.uid !== own);
  return [...grouped(theirs, ({ account }) => account?.name ?? "")].map(([name, events]) => ({
    text: say("since-strangers", {
      account: name === "" ? say("since-an-account") : name,
      count: sum(events),
      when: partOf(last(events)?.at ?? now, now),
    }),
    isWarning: true,
    folder: "",
  }));
}

/** What was done by somebody who knows a password, where the page was not. */
function elsewhere(missed: readonly ActivityEvent[], now: number): Line[] {
  const opened = missed.filter(({ kind, from }) => kind === "opened" && from === "command-line");
  const signedIn = missed.filter(({ kind, from }) => kind === "signed-in" && from === "command-line");
  const latest = last(signedIn);
  return [
    ...opened.slice(-2).map((event) => ({
      text: say("since-opened", { name: nameOf(event), when: timeAt(event.at, now) }),
      isWarning: false,
      folder: event.folder,
    })),
    ...(latest && opened.length === 0
      ? [{ text: say("since-signed-in", { when: timeAt(latest.at, now) }), isWarning: false, folder: "" }]
      : []),
  ];
}

function damages(missed: readonly ActivityEvent[], now: number): Line[] {
  return missed
    .filter(({ kind }) => kind === "damaged")
    .map((event) => ({
      text: say("since-damaged", { name: nameOf(event), when: timeAt(event.at, now) }),
      isWarning: true,
      folder: event.folder,
    }));
}

/** That somebody's signing out locked what lay open is what they asked for. */
function locks(missed: readonly ActivityEvent[], now: number): Line[] {
  const locked = missed.filter(
    ({ kind, from, why }) => kind === "locked" && from === "itself" && why !== null && why !== "signed-out",
  );
  const latest = last(locked);
  if (!latest) return [];
  if (locked.length > 2) {
    const when = timeAt(latest.at, now);
    return [{ text: say("since-locked-many", { count: locked.length, when }), isWarning: false, folder: "" }];
  }
  return locked.map((event) => ({
    text: say("since-locked-itself", {
      name: nameOf(event),
      when: timeAt(event.at, now),
      why: say(`why-${event.why ?? "time"}`),
    }),
    isWarning: false,
    folder: event.folder,
  }));
}

function drops(missed: readonly ActivityEvent[], now: number): Line[] {
  return [
    ...grouped(
      missed.filter(({ kind }) => kind === "dropped"),
      ({ folder }) => folder,
    ),
  ].flatMap(([, events]) => {
    const latest = last(events);
    if (!latest) return [];
    const text = say("since-dropped", { count: sum(events), name: nameOf(latest), when: timeAt(latest.at, now) });
    return [{ text, isWarning: false, folder: latest.folder }];
  });
}

const LOCALE = "en-GB";

function daysAgo(at: number, now: number): number {
  return Math.round((new Date(now).setHours(0, 0, 0, 0) - new Date(at).setHours(0, 0, 0, 0)) / DAY_MS);
}

/** "at 18:40", "yesterday at 18:40", "on Tuesday evening", "on 3 November". */
function timeAt(at: number, now: number): string {
  const time = new Date(at).toLocaleTimeString(LOCALE, { hour: "2-digit", minute: "2-digit" });
  const ago = daysAgo(at, now);
  if (ago === 0) return say("at-time", { time });
  return ago === 1 ? say("yesterday-at", { time }) : partOf(at, now);
}

/** "on Tuesday night": nights belong to the day on which they began. */
function partOf(at: number, now: number): string {
  const hour = new Date(at).getHours();
  const part =
    hour < 6 || hour >= 22 ? say("night") : hour < 12 ? say("morning") : hour < 18 ? say("afternoon") : say("evening");
  const began = hour < 6 ? at - 6 * 3_600_000 : at;
  if (daysAgo(began, now) > 6)
    return say("date-at", { date: new Date(began).toLocaleDateString(LOCALE, { day: "numeric", month: "long" }) });
  return say("day-part", { day: new Date(began).toLocaleDateString(LOCALE, { weekday: "long" }), part });
}
