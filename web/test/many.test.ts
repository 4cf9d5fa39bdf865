import { describe, expect, it } from "vitest";
import type { FolderView } from "@eremos/server/contract";
import { chosenAfter } from "../features/desk/chosen";
import { NO_FILTERS, listedIn, listedOf, toggled, valuesOf } from "../features/desk/listed";
import { besideName, lineBreakOf } from "../features/visit/text-file";
import { actsOf, actsOfMany, mainActOf } from "../parts/folders/acts";

function folder(name: string, change: Partial<FolderView> = {}): FolderView {
  return {
    id: name,
    name,
    path: `/home/ines/${name}`,
    guard: "sealed",
    visibility: "view",
    state: "locked",
    attention: null,
    bytes: 0,
    openedAt: null,
    drive: null,
    visit: null,
    returnable: 0,
    removed: null,
    ...change,
  } as FolderView;
}

const PAYROLL = folder("Payroll", { bytes: 300, openedAt: 5 });
const LETTERS = folder("Letters", { state: "open", bytes: 100, openedAt: 9 });
const PHOTOS = folder("Photos", { path: "/media/stick/Photos", drive: "/media/stick", guard: "barred", bytes: 200 });
const GONE = folder("Archive", { state: "missing", attention: "It is not at its place." });
const ALL = listedOf([PAYROLL, LETTERS, PHOTOS, GONE], []);
const names = (listed: readonly { readonly folder: FolderView }[]): string[] => listed.map((one) => one.folder.name);

describe("the list of folders", () => {
  it.each([
    ["state", ["Letters", "Archive", "Payroll", "Photos"]],
    ["name", ["Archive", "Letters", "Payroll", "Photos"]],
    ["size", ["Archive", "Letters", "Photos", "Payroll"]],
    ["opened", ["Archive", "Photos", "Payroll", "Letters"]],
    ["place", ["Archive", "Letters", "Payroll", "Photos"]],
  ] as const)("stands in the order of the %s, alike ones by name", (sort, order) => {
    expect(names(listedIn(ALL, NO_FILTERS, { sort, isDescending: false, isTable: false }))).toEqual(order);
  });

  it("narrows down by every facet at once, and offers each value that some folder has", () => {
    expect(valuesOf("drive", ALL).map(({ label }) => label)).toEqual(["stick", "This computer"]);
    const view = { sort: "name", isDescending: true, isTable: true } as const;
    const locked = toggled(NO_FILTERS, "state", "locked");
    expect(names(listedIn(ALL, locked, view))).toEqual(["Photos", "Payroll"]);
    expect(names(listedIn(ALL, toggled(locked, "drive", "/media/stick"), view))).toEqual(["Photos"]);
    expect(names(listedIn(ALL, toggled(locked, "state", "locked"), view))).toHaveLength(4);
  });

  it("is chosen from one by one, besides, and up to another, as lists are everywhere", () => {
    const order = ["a", "b", "c", "d"];
    const after = (...args: Parameters<typeof chosenAfter>): string[] => [...chosenAfter(...args)].sort();
    expect(after(new Set(["a", "b"]), order, "a", "d", "alone")).toEqual(["d"]);
    expect(after(new Set(["a"]), order, "a", "c", "besides")).toEqual(["a", "c"]);
    expect(after(new Set(["a", "c"]), order, "c", "c", "besides")).toEqual(["a"]);
    expect(after(new Set(["b"]), order, "b", "d", "up-to")).toEqual(["b", "c", "d"]);
    expect(after(new Set(["d"]), order, "d", "b", "up-to")).toEqual(["b", "c", "d"]);
  });
});

describe("what can be done with folders", () => {
  it("begins with what the state calls for, and offers nothing that it forbids", () => {
    expect([PAYROLL, LETTERS, PHOTOS, GONE].map(mainActOf)).toEqual(["visit", "lock", "open", "look-for"]);
    for (const one of [LETTERS, PHOTOS, GONE]) expect(actsOf(one)).not.toContain("move-in");
    expect(actsOf(GONE)).toEqual(["look-for", "details"]);
    expect(actsOf(folder("Diary", { visibility: "hidden" }))).not.toContain("show");
    expect(actsOf(folder("Diary", { removed: { at: 1, daysLeft: 3 } }))).toEqual(["put-back", "remove"]);
  });

  it("says of several with how many of them", () => {
    expect(actsOfMany([PAYROLL, LETTERS, PHOTOS, GONE]).map(({ words }) => words)).toEqual([
      "Open all 2 in place",
      "Lock 1",
      "Check 1",
      "Change guard of all 3…",
      "Release all 3…",
      "Remove 3…",
    ]);
  });
});

describe("a text that is edited", () => {
  it("keeps its line breaks, and mixed ones as they are", () => {
    expect([lineBreakOf("a\r\nb\r\n"), lineBreakOf("a\nb"), lineBreakOf("a\r\nb\n"), lineBreakOf("")]).toEqual([
      "\r\n",
      "\n",
      "\n",
      "\n",
    ]);
  });

  it("goes beside what was changed meanwhile under a name of its own, and keeps its ending", () => {
    expect([besideName("plan.md", 1), besideName("plan.md", 2), besideName("notes", 1)]).toEqual([
      "plan (another edit).md",
      "plan (another edit 2).md",
      "notes (another edit)",
    ]);
  });
});
