import { describe, expect, it } from "vitest";
import { LEVELS, USUAL_BARS } from "@eremos/core/guards";
import type { Protection } from "@eremos/server/contract";
import { AGAINST, isSame, protectionWords, withBars, withGuard } from "../parts/folders/protections";

const SEALED: Protection = AGAINST.anybody.protection;
const BARRED: Protection = AGAINST.accounts.protection;

describe("what is chosen in the dialog", () => {
  it("can always be locked so: nothing out of sight stays in view, only what is barred has bars, only what is sealed an icon", () => {
    for (const before of [SEALED, BARRED, { ...SEALED, visibility: "view", icon: "folder" } as const])
      for (const guard of ["sealed", "barred", "sight"] as const) {
        const after = withGuard(before, guard);
        expect(after.guard === "sight" && after.visibility === "view").toBe(false);
        expect(after.bars !== null).toBe(guard === "barred");
        expect(after.icon).toBe(guard === "sealed" ? before.icon : null);
      }
    expect(withGuard(SEALED, "barred").bars).toEqual(USUAL_BARS);
  });

  it("never allows others more than this account, whichever of the two was changed", () => {
    for (const others of LEVELS)
      for (const own of LEVELS)
        for (const changed of ["others", "own"] as const) {
          const { bars } = withBars(BARRED, { others, own }, changed);
          const [theirs, ours] = [LEVELS.indexOf(bars?.others ?? "nothing"), LEVELS.indexOf(bars?.own ?? "nothing")];
          expect(theirs).toBeLessThanOrEqual(ours);
          expect(bars?.[changed]).toBe({ others, own }[changed]);
        }
  });

  it("is said in a few words, and told from any other", () => {
    expect(protectionWords(SEALED)).toBe("Sealed, hidden in place");
    expect(protectionWords({ ...SEALED, visibility: "view", cover: "Recipes" })).toBe("Sealed, in view as Recipes");
    expect(protectionWords(BARRED)).toBe("Barred, in view: others may do nothing");
    expect(protectionWords(AGAINST.slips.protection)).toBe(
      "Barred, in view: others may do nothing, this account may read it",
    );
    const all: readonly Protection[] = Object.values(AGAINST).map(({ protection }) => protection);
    for (const [i, a] of all.entries()) for (const [k, b] of all.entries()) expect(isSame(a, b)).toBe(i === k);
  });
});
