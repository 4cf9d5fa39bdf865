import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { ACTIVITY_GROUPS, eventSchema } from "../../src/calls/shapes/activity";
import type { ActivityEvent, ActivityFilter } from "../../src/contract";
import { events } from "../../src/database/schema";
import { Tally } from "../../src/ledger/tally";
import { daysBetween, intervalsOf } from "../../src/operations/activity/charts";
import { csvOf } from "../../src/operations/activity/export";
import { filtered, foldersIn } from "../../src/operations/activity/history";
import { viewOf } from "../../src/operations/activity/telling";
import { Seeded } from "../../../demo/src/random";
import { Eremos } from "../../src/eremos";
import { signIn } from "../../src/operations/entrance/sign-in";
import { PASSWORD, TestHouse } from "../house";

const KINDS = Object.values(ACTIVITY_GROUPS).flat();

function event(told: Partial<ActivityEvent> = {}): ActivityEvent {
  return eventSchema.parse({ at: 1000, folder: "", kind: "locked", signedIn: true, from: "page", ...told });
}

describe("the log", () => {
  let house: TestHouse;
  beforeEach(async () => {
    house = await TestHouse.make();
    await house.signIn();
    house.eremos.ledger.forget(house.eremos.requireKeys(), null);
  });
  afterEach(() => house.remove());
  const all = (of: Eremos = house.eremos) => of.registry.log.all(of.requireKeys());
  const add = (entries: readonly ActivityEvent[]): void =>
    house.eremos.registry.log.add(house.eremos.requireKeys(), entries);
  const rows = () => house.eremos.database.orm.select().from(events).all();

  it("gives back what was put in, oldest first, whichever was put in first", () => {
    const entries = [event({ at: 3, count: 0 }), event({ at: 1, name: "Payroll" }), event({ at: 2, since: 0 })];
    for (const one of entries) add([one]);
    expect(all()).toEqual([entries[1], entries[2], entries[0]]);
  });

  it("tells what another process wrote, and no more what it cleared", async () => {
    add([event({ at: 1 })]);
    expect(all()).toHaveLength(1);
    const other = Eremos.open(house.eremos.settings);
    try {
      await signIn(other, PASSWORD);
      other.registry.log.add(other.requireKeys(), [event({ at: Date.now() + 1000, name: "theirs" })]);
      expect(all().at(-1)).toMatchObject({ name: "theirs" });
      other.ledger.forget(other.requireKeys(), ({ name }) => name === "theirs");
      expect(all().map(({ kind }) => kind)).toEqual(["locked", "signed-in"]);
    } finally {
      other.close();
    }
  });

  it("loses one row alone where that is damaged, and loads beside others", async () => {
    for (let at = 0; at < 50; at++) add([event({ at })]);
    const [, second] = rows();
    house.eremos.database.orm.run(`UPDATE events SET sealed = x'00' WHERE id = ${second?.id ?? 0}`);
    const { log } = house.eremos.registry;
    expect((await log.load(house.eremos.requireKeys())).map(({ at }) => at)).toEqual([
      0,
      ...Array.from({ length: 48 }, (_, i) => i + 2),
    ]);
  });

  it("puts many rows of one entry together, and tells the same as before", () => {
    for (let at = 0; at < 300; at++) add([event({ at, name: `n${at}` })]);
    const before = all();
    house.eremos.registry.log.pack(house.eremos.requireKeys());
    expect(rows()).toHaveLength(1);
    expect(all()).toEqual(before);
    house.eremos.ledger.forget(house.eremos.requireKeys(), ({ name }) => name !== "n7");
    expect(all().map(({ name }) => name)).toEqual(["n7"]);
    expect(rows()).toHaveLength(1);
  });
});

describe("looking for entries", () => {
  const seed = 20_261_129;
  const random = new Seeded(seed);
  const names = ["Payroll", "Adoption papers", "Cello fund", ""];
  const accounts = [null, null, { uid: 1000, name: "ines" }, { uid: 1002, name: "tomas" }];
  const some = Array.from({ length: 400 }, (_, at) =>
    event({
      at,
      kind: random.pick(KINDS),
      name: random.pick(names),
      folder: random.pick(["a", "b", "c", ""]),
      from: random.pick(["page", "command-line", "menu", "drive", "itself"]),
      why: random.pick([null, "idle", "time"]),
      signedIn: random.next() < 0.5,
      account: random.pick(accounts),
    }),
  );
  const everything: ActivityFilter = { folder: null, groups: [], who: null, from: null, until: null, find: "" };
  const found = (filter: Partial<ActivityFilter>) => filtered(some, { ...everything, ...filter }, 1000);

  it(`gives exactly those that fit each part of what is asked, and all of it together (seed ${seed})`, () => {
    expect(found({})).toEqual(some);
    expect(found({ folder: "a" })).toEqual(some.filter(({ folder }) => folder === "a"));
    expect(found({ from: 100, until: 200 })).toEqual(some.slice(100, 200));
    expect(found({ groups: ["tries", "care"] })).toEqual(
      some.filter(({ kind }) => ([...ACTIVITY_GROUPS.tries, ...ACTIVITY_GROUPS.care] as string[]).includes(kind)),
    );
    expect(found({ who: "menu" })).toEqual(some.filter(({ from }) => from === "menu"));
    expect(found({ who: "signed-out" })).toEqual(some.filter((one) => !one.signedIn && one.kind !== "signed-in"));
    expect(found({ who: "others" })).toEqual(
      some.filter(({ account, kind }) => account?.uid === 1002 || kind === "stranger"),
    );
    expect(found({ folder: "b", from: 50, until: 350, who: "page" })).toEqual(
      some.filter((one) => one.folder === "b" && one.at >= 50 && one.at < 350 && one.from === "page"),
    );
  });

  it("finds every word that an entry is told with, in any order and any case, and its folder's name", () => {
    expect(found({ find: "PAYROLL" })).toEqual(some.filter(({ name }) => name === "Payroll"));
    const words = found({ find: "nobody ITSELF" });
    expect(words.length).toBeGreaterThan(0);
    expect(words).toEqual(some.filter((one) => /itself: nobody (used it|touched the page)/.test(viewOf(one).how)));
    expect(found({ find: "tomas" })).toEqual(some.filter(({ account }) => account?.name === "tomas"));
    expect(found({ find: "no such word" })).toEqual([]);
  });

  it("knows every folder that is told of, by the name it had last", () => {
    const told = [
      event({ at: 1, folder: "x", name: "Old" }),
      event({ at: 2, folder: "y", name: "" }),
      event({ at: 3, folder: "x", name: "New" }),
      event({ at: 4, folder: "x", name: "" }),
    ];
    expect(foldersIn(told)).toEqual([
      { id: "y", name: "a folder" },
      { id: "x", name: "New" },
    ]);
  });
});

describe("an export", () => {
  it.each(["=1+1", "+1", "-1", "@SUM(A1)", "\t=1", "\r=1"])("marks a cell that a spreadsheet would run: %j", (name) => {
    const [, cell = ""] =
      /^[^,]*,("(?:[^"]|"")*"|[^,]*),/m.exec(csvOf([viewOf(event({ name }))]).split("\r\n")[1] ?? "") ?? [];
    const text = csvOf([viewOf(event({ name }))]);
    expect(text).toContain(`'${name}`);
    expect(cell.replace(/^"/, "").startsWith("'") || name.startsWith("\r")).toBe(true);
  });

  it("keeps commas, quotes and line breaks of a name in their cell", () => {
    const text = csvOf([viewOf(event({ name: 'a,"b"\nc' }))]);
    expect(text).toContain('"a,""b""\nc"');
  });
});

describe("what others can do as often as they like", () => {
  it("is told at its first time, and then as one number", async () => {
    vi.useFakeTimers();
    const told: [string, number][] = [];
    const tally = new Tally<string>(async (what, count) => void told.push([what, count]), 1000);
    for (let i = 0; i < 500; i++) tally.add("tomas");
    tally.add("mara");
    expect(told).toEqual([
      ["tomas", 1],
      ["mara", 1],
    ]);
    await vi.advanceTimersByTimeAsync(1000);
    expect(told.slice(2)).toEqual([["tomas", 499]]);
    vi.useRealTimers();
  });

  it("of more kinds than can be counted apart nobody fills the disk: they are left out until the next time", async () => {
    const told: string[] = [];
    const tally = new Tally<string>(async (what) => void told.push(what), 1000);
    for (let i = 0; i < 5000; i++) tally.add(`account ${i}`);
    expect(told).toHaveLength(64);
    await tally.flush();
    expect(told).toHaveLength(64);
  });
});

describe("the days of a chart", () => {
  const before = process.env["TZ"];
  afterEach(() => {
    if (before === undefined) delete process.env["TZ"];
    else process.env["TZ"] = before;
  });

  it("begin at midnight of this computer's time, those of 23 and 25 hours too", () => {
    process.env["TZ"] = "Europe/Vienna";
    for (const [month, day, hours] of [
      [2, 29, 23],
      [9, 25, 25],
    ] as const) {
      const noon = new Date(2026, month, day, 12).getTime();
      const [start = 0, end = 0, ...more] = daysBetween(noon, noon + 1000);
      expect([new Date(start).getHours(), (end - start) / 3_600_000, more.length]).toEqual([0, hours, 0]);
    }
  });

  it("count what ends as open since it began, and what lies open still until now", () => {
    const told = [
      event({ folder: "a", at: 500, since: 100 }),
      event({ folder: "a", at: 900, since: 800, kind: "released" }),
      event({ folder: "b", at: 700, since: 600, kind: "visit-ended" }),
      event({ folder: "c", at: 700, since: null }),
    ];
    expect(intervalsOf(told, new Map([["d", 950]]), 1000)).toEqual(
      new Map([
        [
          "a",
          [
            { from: 100, until: 500 },
            { from: 800, until: 900 },
          ],
        ],
        ["d", [{ from: 950, until: 1000 }]],
      ]),
    );
  });
});
