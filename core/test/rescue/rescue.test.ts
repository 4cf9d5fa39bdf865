import { execFileSync } from "node:child_process";
import * as fs from "node:fs";
import * as path from "node:path";
import fc from "fast-check";
import { afterAll, describe, expect, it } from "vitest";
import { EremosError } from "../../src/errors/eremos-error";
import { changeFolderPassword, openFolderKey } from "../../src/engine/access/change-owner";
import { wholeDresser } from "../../src/engine/upkeep/dress-rescued";
import { guardFolder } from "../support/guarding";
import { silentHooks } from "../../src/engine/ground/hooks";
import { locateFolder } from "../../src/engine/upkeep/locate";
import { LEAST_COST } from "../../src/crypto/kdf";
import { newRecoveryCode } from "../../src/format/codes/recovery-code";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import { type Dresser, NOT_GIVEN } from "../../src/rescue/dresser";
import type { RescueSecret } from "../../src/rescue/keys-of-folder";
import type { RescueReport } from "../../src/rescue/bring-out/report";
import { rescue } from "../../src/rescue/bring-out/to-directory";
import { type CrashMode, crashingDisk } from "../support/crashing-disk";
import { type Place, usePlace } from "../support/place";
import { both, stateFile } from "../support/records";
import { FOLDER, OWN_PASSWORD } from "../support/scene";
import { campaignDirectory, casesOf, setUp } from "../support/scenes";
import { anyTree, grow, seen } from "../support/trees";
import { strided } from "../support/stride";
import { NEW_PASSWORD, PASSWORD, lock, makeMixedTree, removeDirectory, snapshot, unlock } from "../support/world";

let { person, base, folder } = {} as Place;
usePlace((place) => ({ person, base, folder } = place), campaignDirectory);

let outs = 0;
const byPassword: Extract<RescueSecret, { kind: "password" }> = {
  kind: "password",
  password: PASSWORD,
  folderPassword: null,
};
const IS_ROOT = process.getuid?.() === 0;
async function out(
  from: string | Buffer,
  secret: RescueSecret | null = byPassword,
  dresser?: Dresser,
): Promise<{ readonly report: RescueReport; readonly to: string }> {
  const to = path.join(base, `out ${++outs}`);
  const report = await rescue({
    folder: Buffer.from(from),
    to: Buffer.from(to),
    secret: async () => {
      if (!secret) throw new Error("a secret was asked for");
      return secret;
    },
    ...(dresser ? { dresser } : {}),
  });
  return { report, to };
}

/** Barred to others, and for its owner to read only. */
function barReadOnly(path: string, visibility: "view" | "hidden"): ReturnType<typeof guardFolder> {
  return guardFolder(
    linuxDisk,
    {
      guard: "barred",
      bars: { others: "nothing", own: "read" },
      visibility,
      path: Buffer.from(path),
      folder: FOLDER,
      owner: person.owner.owner,
      places: [],
    },
    silentHooks,
  );
}

/** Without the top, attributes and what times have below a microsecond: the rest comes out as it was. */
function comparable(lines: readonly string[]): string[] {
  return lines
    .slice(1)
    .map((line) =>
      line
        .replace(/mtime=(\d+)\d{3}/, "mtime=$1")
        .replace(/ [\w.]+=[0-9a-f]+(,[\w.]+=[0-9a-f]+)*/g, (attributes) =>
          attributes.startsWith(" mtime=") || attributes.startsWith(" same=") ? attributes : " ",
        ),
    );
}

/** Names, kinds, targets and contents alone. */
function contents(lines: readonly string[]): string[] {
  return lines
    .slice(1)
    .map(
      (line) =>
        `${/^(.*?) [0-7]{5,6} \d+:\d+ mtime=/s.exec(line)?.[1] ?? line} ${/ -> [0-9a-f]*$| \d+ [0-9a-f]{64}$/.exec(line)?.[0] ?? ""}`,
    );
}

describe("everything comes out of a locked folder, and nothing in it changes", () => {
  const before = (): string[] => {
    makeMixedTree(folder);
    return comparable(snapshot(folder));
  };

  it.each(["view", "hidden", "tucked"] as const)("sealed, %s: by the password, and by the code", async (visibility) => {
    const was = before();
    const { realPath } = await lock(folder, person.owner, { visibility, folder: FOLDER });
    const locked = snapshot(realPath.toString());
    const byWord = await out(realPath);
    expect(comparable(snapshot(byWord.to))).toEqual(was);
    expect(byWord.report).toMatchObject({ guard: "sealed", generation: 1, place: folder, damaged: [], problems: [] });
    expect(comparable(snapshot((await out(realPath, { kind: "code", code: person.code })).to))).toEqual(was);
    expect(snapshot(realPath.toString())).toEqual(locked);
  });

  it("sealed while signed out, and locked again after changes", async () => {
    before();
    await lock(folder, person.device, { folder: FOLDER });
    const { note } = await unlock(folder, person.access);
    fs.writeFileSync(path.join(folder, "new.txt"), "written while it was open");
    fs.rmSync(path.join(folder, "photos", "scroll.png"));
    const was = comparable(snapshot(folder, { withoutOwnDir: true }));
    await lock(folder, person.device, { folder: FOLDER, note });
    const { to, report } = await out(folder);
    expect(comparable(snapshot(to))).toEqual(was);
    expect(report).toMatchObject({ generation: 2, problems: [] });
  });

  it("with a password of its own: both passwords together, or the code alone", async () => {
    const was = before();
    await lock(folder, person.owner, { folder: FOLDER });
    await changeFolderPassword(
      linuxDisk,
      { path: Buffer.from(folder), access: person.access, keptHeader: null },
      { password: "rosin on the left shelf", hint: "where?", cost: LEAST_COST },
    );
    await expect(out(folder)).rejects.toMatchObject({ code: "needs-folder-password" });
    await expect(out(folder, { ...byPassword, folderPassword: "another" } as RescueSecret)).rejects.toMatchObject({
      code: "wrong-password",
    });
    expect(
      comparable(
        snapshot(
          (await out(folder, { kind: "password", password: PASSWORD, folderPassword: "rosin on the left shelf" })).to,
        ),
      ),
    ).toEqual(was);
    expect(comparable(snapshot((await out(folder, { kind: "code", code: person.code })).to))).toEqual(was);
    await expect(
      openFolderKey(
        linuxDisk,
        { path: Buffer.from(folder), access: person.access, keptHeader: null },
        { kind: "code", code: person.code },
      ),
    ).resolves.toBeDefined();
  });

  it("files that came to a locked folder meanwhile come out beside its own", async () => {
    before();
    await lock(folder, person.owner, { folder: FOLDER });
    fs.writeFileSync(path.join(folder, "letter.txt"), "saved into the locked folder");
    fs.writeFileSync(path.join(folder, "came.txt"), "new");
    const { to } = await out(folder);
    expect(fs.readFileSync(path.join(to, "letter (arrived while locked).txt"), "utf8")).toBe(
      "saved into the locked folder",
    );
    expect(fs.readFileSync(path.join(to, "letter.txt"), "utf8")).toContain("Dear Jonas");
    expect(fs.readdirSync(to)).not.toContain("Locked with Eremos.html");
    expect(fs.readFileSync(path.join(to, "came.txt"), "utf8")).toBe("new");
  });

  it("an older record of its state, put back by a backup or a program that keeps folders in step, hides nothing: the newest whole state comes out, and it says what speaks against the record", async () => {
    before();
    await lock(folder, person.owner, { folder: FOLDER });
    const records = (): Map<string, Buffer> =>
      new Map(both(stateFile(folder)).map((name) => [name, fs.readFileSync(path.join(folder, ".eremos", name))]));
    const put = (kept: ReadonlyMap<string, Buffer>): void =>
      kept.forEach((bytes, name) => fs.writeFileSync(path.join(folder, ".eremos", name), bytes));
    const sealedOnce = records();
    const { note } = await unlock(folder, person.access);
    const openOnce = records();
    fs.writeFileSync(path.join(folder, "new.txt"), "written since");
    const was = comparable(snapshot(folder, { withoutOwnDir: true }));
    await lock(folder, person.owner, { folder: FOLDER, note, keepEarlier: 1 });
    put(sealedOnce);
    const older = await out(folder);
    expect([comparable(snapshot(older.to)), older.report.generation]).toEqual([was, 2]);
    expect(older.report.problems).toEqual([
      expect.stringMatching(/notes state 1, and a later one .* is here throughout \(state 2\)/),
    ]);
    put(openOnce);
    const open = await out(folder);
    expect([comparable(snapshot(open.to)), open.report.generation]).toEqual([was, 2]);
    expect(open.report.problems.join("\n")).toMatch(
      /says that the folder lies open, and a later encrypted state of it is here/,
    );
    // Nothing of a later state, and nothing readable either: what is encrypted comes out.
    fs.rmSync(path.join(folder, ".eremos", "generations"), { recursive: true });
    const nothing = await out(folder);
    expect(nothing.report.problems.join("\n")).toMatch(/nothing lies readable in it/);
    expect(nothing.report.files).toBeGreaterThan(0);
  });

  it.each([
    ["a link", (file: string) => fs.symlinkSync("nowhere", file)],
    ["a folder", (file: string) => fs.mkdirSync(file)],
    ["a file that nobody may read", (file: string) => fs.writeFileSync(file, "mine", { mode: 0 })],
  ] as const)("lying open, with %s of its owner's under the name of Eremos' own page", async (_what, put) => {
    makeMixedTree(folder);
    await lock(folder, person.owner, { folder: FOLDER });
    await unlock(folder, person.access);
    put(path.join(folder, "Locked with Eremos.html"));
    const was = contents(snapshot(folder).filter((line) => !line.includes(".eremos")));
    expect(contents(snapshot((await out(folder, null)).to))).toEqual(was);
  });

  it.each(["guard.json", "guard.twin.json"])(
    "barred, %s of its record's two copies being gone or damaged",
    async (copy) => {
      const was = before();
      const { path: real } = await barReadOnly(folder, "hidden");
      const record = path.join(real.toString(), ".eremos", copy);
      fs.writeFileSync(record, "{");
      expect(comparable(snapshot((await out(real, null)).to))).toEqual(was);
      fs.rmSync(record);
      expect(comparable(snapshot((await out(real, null)).to))).toEqual(was);
    },
  );

  it("refuses a wrong password, another code, what is not locked, a full directory, and one within the other", async () => {
    before();
    await lock(folder, person.owner, { folder: FOLDER });
    await expect(out(folder, { ...byPassword, password: "wrong" } as RescueSecret)).rejects.toMatchObject({
      code: "wrong-password",
    });
    await expect(out(folder, { kind: "code", code: newRecoveryCode() })).rejects.toMatchObject({ code: "wrong-code" });
    await expect(out(base)).rejects.toMatchObject({ code: "usage" });
    fs.mkdirSync(path.join(base, "plain"));
    await expect(out(path.join(base, "plain"))).rejects.toMatchObject({ code: "not-protected" });
    await expect(
      rescue({
        folder: Buffer.from(folder),
        to: Buffer.from(path.join(folder, "out")),
        secret: async () => byPassword,
      }),
    ).rejects.toMatchObject({ code: "usage" });
    fs.mkdirSync(path.join(base, "full", "of"), { recursive: true });
    await expect(
      rescue({ folder: Buffer.from(folder), to: Buffer.from(path.join(base, "full")), secret: async () => byPassword }),
    ).rejects.toMatchObject({ code: "path-taken" });
  });
});

const CHANGES = strided(127);
const MODES: readonly CrashMode[] = ["before", "after", "torn"];
let tried = 0;
afterAll(() => void process.stdout.write(`rescues after a crash: ${tried}\n`));

describe.each(casesOf(MODES))(
  `killed at ${CHANGES.of("change")}, and never put right: %s`,
  (_name, { stage, ways }) => {
    it.each(ways)("%s: everything comes out", async (mode) => {
      for (let at = CHANGES.from; ; at += CHANGES.step) {
        const { scene, parent } = await setUp(person, base, stage);
        const crashing = crashingDisk(linuxDisk, at, mode);
        await scene.run(crashing.disk).catch(() => undefined);
        if (!crashing.crashed()) return removeDirectory(parent);
        tried++;
        const located = locateFolder(linuxDisk, Buffer.from(scene.folder), FOLDER)?.realPath;
        if (located) {
          const { to, report } = await out(located).catch((error: unknown) => {
            const code = error instanceof EremosError ? error.code : null;
            // By then it may have had the password that the work was to give it.
            if (code === "needs-folder-password") return out(located, { ...byPassword, folderPassword: OWN_PASSWORD });
            if (code === "wrong-password") return out(located, { ...byPassword, password: NEW_PASSWORD });
            throw error;
          });
          if (!scene.isDamaged) expect(report.damaged, `crash at change ${at}, ${mode}`).toEqual([]);
          if (!scene.isDamaged)
            expect(scene.acceptable.map(contents), `crash at change ${at}, ${mode}`).toContainEqual(
              contents(snapshot(to)),
            );
        }
        removeDirectory(parent);
      }
    });
  },
);

describe("where Eremos is installed, a rescue gives back all that an opening does", () => {
  const RUNS = process.env["EREMOS_DEEP"] === "1" ? 200 : 10;
  it.each(["sealed", "lying open", "barred to others and read only"] as const)(
    "any tree, %s: owners, modes, attributes and times to the nanosecond",
    async (how) => {
      await fc.assert(
        fc.asyncProperty(anyTree(IS_ROOT), async (spec) => {
          const own = path.join(fs.mkdtempSync(path.join(base, "tree-")), "Payroll");
          fs.mkdirSync(own);
          const dir = linuxDisk.openRoot(Buffer.from(own));
          grow(linuxDisk, dir, spec);
          linuxDisk.closeDir(dir);
          fs.writeFileSync(path.join(own, "a letter that is always there"), "Dear Jonas");
          const before = seen(linuxDisk, Buffer.from(own));
          if (how === "barred to others and read only") await barReadOnly(own, "view");
          else {
            const { realPath } = await lock(own, person.owner, { visibility: "hidden" });
            if (how === "lying open") await unlock(realPath, person.access);
            else fs.renameSync(realPath, own);
          }
          const { to, report } = await out(own, byPassword, wholeDresser(linuxDisk));
          expect(seen(linuxDisk, Buffer.from(to))).toEqual(before);
          expect([report.damaged, report.problems, report.notGiven]).toEqual([[], [], []]);
        }),
        { numRuns: RUNS },
      );
    },
  );

  it("a file of several names, barred, of which one lay where the bars did not reach", async () => {
    const own = path.join(base, "Own");
    fs.mkdirSync(path.join(own, " ", "_"), { recursive: true });
    fs.writeFileSync(path.join(own, " ", "_", "deep"), "Dear Jonas", { mode: 0o640 });
    fs.linkSync(path.join(own, " ", "_", "deep"), path.join(own, "top"));
    fs.chmodSync(path.join(own, " "), 0);
    const before = seen(linuxDisk, Buffer.from(own));
    await barReadOnly(own, "view");
    const { to } = await out(own, null, wholeDresser(linuxDisk));
    expect(seen(linuxDisk, Buffer.from(to))).toEqual(before);
  });

  it("and without it names what plain Node can't give", async () => {
    fs.writeFileSync(path.join(folder, "run.sh"), "#!/bin/sh\n");
    execFileSync("touch", ["-m", "-d", "2021-03-04 05:06:07.123456789 UTC", path.join(folder, "run.sh")]);
    fs.chmodSync(path.join(folder, "run.sh"), 0o4755);
    execFileSync("setfattr", ["-n", "user.author", "-v", "Mirela", path.join(folder, "run.sh")]);
    if (IS_ROOT) fs.lchownSync(path.join(folder, "run.sh"), 4711, 4712);
    if (IS_ROOT) fs.chmodSync(path.join(folder, "run.sh"), 0o4755);
    await lock(folder, person.owner);
    const { report } = await out(folder);
    expect([...report.notGiven].sort()).toEqual(
      [NOT_GIVEN.attributes, ...(IS_ROOT ? [NOT_GIVEN.owners] : []), NOT_GIVEN.rights, NOT_GIVEN.times].sort(),
    );
  });
});
