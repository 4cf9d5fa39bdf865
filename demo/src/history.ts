import { type ActivityEvent, eventSchema } from "../../server/src/calls/shapes/activity";
import { Seeded } from "./random";

/** A protected folder, as the list has it now. */
export interface Listed {
  readonly id: string;
  readonly name: string;
  readonly files: number;
  readonly bytes: number;
  readonly generation: number;
  /** Since when it lies open; null: it does not. */
  readonly openSince: number | null;
}

const DAYS = 28;
const MINUTE = 60_000;
const DAY = 24 * 60 * MINUTE;

type Told = Partial<ActivityEvent> & Pick<ActivityEvent, "at" | "kind">;

/** What would have happened in the last four weeks at the workshop; its last day is yesterday. */
export function pastOf(
  folders: readonly Listed[],
  now: number,
  account: { readonly uid: number; readonly name: string },
): ActivityEvent[] {
  const past = new Past(folders, account);
  for (let ago = DAYS; ago >= 1; ago--) {
    const day = new Date(now).setHours(0, 0, 0, 0) - ago * DAY;
    const weekday = new Date(day).getDay();
    if (weekday !== 0) past.workday(day, ago);
    if (ago > 1 && (weekday === 0 || weekday === 3)) past.evening(day);
    if (weekday === 5) past.payday(day, ago);
    if (ago === 21 || ago === 4) past.practice(day);
    if (ago === 12) past.tries(day, 3);
    if (ago === 9) past.stranger(day);
    if (ago % 7 === 3) past.care(day);
  }
  past.lastEvening(new Date(now).setHours(0, 0, 0, 0) - DAY);
  past.asItIsNow();
  return past.events.filter(({ at }) => at < now).sort((a, b) => a.at - b.at);
}

/** So many entries of a year ago and before, each by its number. */
export function longAgo(count: number): ActivityEvent[] {
  const from = Date.UTC(2020, 0, 1);
  return Array.from({ length: count }, (_, nth) =>
    eventSchema.parse({
      at: from + nth * 6 * 60 * MINUTE,
      folder: "0".repeat(32),
      name: `Entry ${nth}`,
      kind: nth % 2 === 0 ? "opened" : "locked",
      signedIn: true,
      from: "page",
    }),
  );
}

class Past {
  readonly events: ActivityEvent[] = [];
  private readonly seed = new Seeded(1628);
  private readonly states = new Map<string, number>();

  constructor(
    private readonly folders: readonly Listed[],
    private readonly account: { readonly uid: number; readonly name: string },
  ) {}

  private tell(told: Told, name = ""): void {
    const folder = this.folders.find((one) => one.name === name)?.id ?? "";
    this.events.push(eventSchema.parse({ folder, signedIn: true, from: "page", ...told, name }));
  }

  private at(day: number, hour: number, spread = 20): number {
    return day + hour * 60 * MINUTE + this.seed.whole(0, spread * 60) * 1000;
  }

  /** How large it was then: it has grown to what it is now. */
  private sizeOf(name: string): ActivityEvent["size"] {
    const folder = this.folders.find((one) => one.name === name);
    if (!folder || folder.generation === 0) return null;
    const state = (this.states.get(name) ?? 0) + 1;
    this.states.set(name, state);
    const part = Math.min(1, 0.55 + 0.02 * state);
    return { generation: state, files: Math.round(folder.files * part), bytes: Math.round(folder.bytes * part) };
  }

  private open(name: string, from: number, until: number, locked: Pick<ActivityEvent, "from" | "why">): void {
    if (!this.folders.some((one) => one.name === name)) return;
    this.tell({ at: from, kind: "opened", way: "password" }, name);
    this.tell({ at: until, kind: "locked", since: from, size: this.sizeOf(name), ...locked }, name);
  }

  workday(day: number, ago: number): void {
    this.tell({ at: this.at(day, 8.8), kind: "signed-in", way: "password", signedIn: true });
    const from = this.at(day, 9.5);
    const hours = this.seed.whole(4, 14) / 4;
    this.open("Appraisals 2026", from, from + hours * 60 * MINUTE, { from: "itself", why: "idle" });
    if (ago % 3 === 0) this.open("Cello fund", this.at(day, 11), this.at(day, 11.8), { from: "page", why: null });
    if (ago > 1) this.tell({ at: this.at(day, 17.4), kind: "signed-out" });
  }

  evening(day: number): void {
    const from = this.at(day, 20.5);
    this.tell({ at: from, kind: "visited", way: "password" }, "Adoption papers");
    const count = this.seed.whole(1, 6);
    const at = from + this.seed.whole(8, 40) * MINUTE;
    this.tell({ at, kind: "visit-ended", since: from, count, from: "itself", why: "idle" }, "Adoption papers");
    if (count > 3) this.tell({ at: from + 5 * MINUTE, kind: "dropped", count: 2, from: "menu" }, "Adoption papers");
  }

  /** Twice it was forgotten over night. */
  payday(day: number, ago: number): void {
    const isForgotten = ago > 6 && ago <= 20;
    const until = isForgotten ? this.at(day, 24.5) : this.at(day, 18.6, 5);
    this.open("Payroll", this.at(day, 15), until, { from: "itself", why: isForgotten ? "time" : "idle" });
    this.tell({ at: until + MINUTE, kind: "cleared", count: 3, from: "itself", why: "by-rule" }, "Payroll");
  }

  practice(day: number): void {
    this.tell({ at: this.at(day, 12), kind: "practised", way: "code" });
    this.tell({ at: this.at(day, 12.5), kind: "rules" }, "Payroll");
  }

  tries(day: number, count: number): void {
    const { account } = this;
    for (let nth = 0; nth < count; nth++)
      this.tell({ at: this.at(day, 22.7), kind: "wrong", way: "password", signedIn: false, account });
  }

  stranger(day: number): void {
    const account = { uid: 1002, name: "tomas" };
    this.tell({ at: this.at(day, 16), kind: "stranger", count: 2, signedIn: false, account });
  }

  care(day: number): void {
    for (const name of ["Payroll", "Adoption papers", "Appraisals 2026"])
      this.tell({ at: this.at(day, 13), kind: "checked", from: "itself", why: "in-turn" }, name);
  }

  /** After its owner had left. */
  lastEvening(day: number): void {
    this.tell({ at: this.at(day, 17.5), kind: "signed-out" });
    const from = this.at(day, 16);
    this.tell({ at: from, kind: "opened", way: "password" }, "Payroll");
    const at = day + 18 * 60 * MINUTE + 40 * MINUTE;
    const size = this.sizeOf("Payroll");
    this.tell({ at, kind: "locked", since: from, from: "itself", why: "idle", signedIn: false, size }, "Payroll");
    this.tries(day, 2);
    this.tell({ at: at + 70 * MINUTE, kind: "dropped", count: 2, signedIn: false }, "Adoption papers");
  }

  asItIsNow(): void {
    for (const { name, openSince } of this.folders)
      if (openSince !== null) this.tell({ at: openSince, kind: "opened", way: "password" }, name);
  }
}
