import type { ActivityEvent, ActivityView } from "../../contract";
import { formatBytes } from "../../size-words";
import { say } from "@eremos/words/server/activity";
import { say as sayUnit } from "@eremos/words/units";

/** An entry, and in words what happened and how it came about. */
export function viewOf({ day: _day, ...event }: ActivityEvent): ActivityView {
  return { ...event, what: whatOf(event), how: howOf(event) };
}

type Told = Omit<ActivityEvent, "day">;

function whatOf(event: Told): string {
  const { kind, folder, way, size } = event;
  const count = event.count ?? (kind === "wrong" || kind === "stranger" ? 1 : 0);
  if (kind === "rules" && folder === "") return say("rules-for-all");
  if (kind === "wrong" && way === null) return say("wrong-found", { count });
  if (kind === "locked") return say(kind, { size: size ? sizeOf(size) : "no" });
  return say(kind, { count, way: way === null ? say("way-password") : say(`way-${way}`) });
}

function sizeOf({ files, bytes }: NonNullable<Told["size"]>): string {
  return say("size-of", { files, bytes: formatBytes(bytes) });
}

function howOf(event: Told): string {
  return [byWay(event), howLong(event), through(event), byWhom(event), whether(event)]
    .filter((part) => part !== null)
    .join(", ");
}

function byWay({ kind, way }: Told): string | null {
  if (way === null || kind === "wrong") return null;
  return way === "stay" ? say("way-stay") : say("by-way", { way: say(`way-${way}`) });
}

function howLong({ kind, since, at }: Told): string | null {
  if (since === null) return null;
  return say(kind === "visit-ended" ? "lasted" : "lay-open", { time: timeOf(at - since) });
}

function through({ kind, from, why }: Told): string | null {
  if (from !== "itself") return kind === "stranger" ? null : say(`from-${from}`);
  if (kind === "signed-out" && why === "idle") return say("by-itself", { why: say("signed-out-idle") });
  return say("by-itself", { why: why === null ? "none" : say(`why-${why}`) });
}

/** Only tries are told by account: everything else is the owner's own. */
function byWhom({ kind, account }: Told): string | null {
  if (account === null) return kind === "wrong" ? say("by-unknown-account") : null;
  return say("by-account", { account: account.name === "" ? String(account.uid) : account.name });
}

function whether({ kind, signedIn }: Told): string | null {
  // Whoever signs in was not signed in, and whoever tries to is not.
  return signedIn || kind === "stranger" || kind === "signed-in" ? null : say("while-signed-out");
}

/** Rounded to minutes, for people. */
function timeOf(ms: number): string {
  const minutes = Math.round(Math.max(0, ms) / 60_000);
  if (minutes === 0) return sayUnit("seconds", { seconds: Math.max(1, Math.round(ms / 1000)) });
  if (minutes < 60) return sayUnit("minutes", { minutes });
  return sayUnit("hours", { hours: Math.floor(minutes / 60), minutes: minutes % 60 });
}
