import * as fs from "node:fs";
import * as path from "node:path";
import { afterAll, describe, expect, it } from "vitest";
import { changeFolderPassword, openFolderKey } from "../src/engine/change-owner";
import { locateFolder } from "../src/engine/locate";
import { LEAST_COST } from "../src/crypto/kdf";
import { newRecoveryCode } from "../src/format/recovery-code";
import { linuxDisk } from "../src/platform/linux/linux-disk";
import type { RescueSecret } from "../src/rescue/locked-folder";
import { type RescueReport, rescue } from "../src/rescue/to-directory";
import { type CrashMode, crashingDisk } from "./crashing-disk";
import { type Place, usePlace } from "./place";
import { FOLDER, campaignDirectory, casesOf, setUp } from "./scenes";
import { PASSWORD, lock, makeMixedTree, removeDirectory, snapshot, unlock } from "./world";

let { person, base, folder } = {} as Place;
usePlace((place) => ({ person, base, folder } = place), campaignDirectory);

let outs = 0;
const byPassword: RescueSecret = { kind: "password", password: PASSWORD, folderPassword: null };
async function out(
  from: string | Buffer,
  secret: RescueSecret | null = byPassword,
): Promise<{ readonly report: RescueReport; readonly to: string }> {
  const to = path.join(base, `out ${++outs}`);
  const report = await rescue({
    folder: Buffer.from(from),
    to: Buffer.from(to),
    secret: async () => {
      if (!secret) throw new Error("a secret was asked for");
      return secret;
    },
  });
  return { report, to };
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
    const was = comparable(snapshot(folder, { withoutVault: true }));
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

const STRIDE = process.env["EREMOS_DEEP"] === "1" ? 1 : 29;
const MODES: readonly CrashMode[] = ["before", "after", "torn"];
let tried = 0;
afterAll(() => void process.stdout.write(`rescues after a crash: ${tried}\n`));

describe.each(casesOf(MODES))("killed at every change, and never put right: $name", ({ stage, ways }) => {
  it.each(ways)("%s: everything comes out", async (mode) => {
    for (let at = 0; ; at += STRIDE) {
      const { scene, parent } = await setUp(person, base, stage);
      const crashing = crashingDisk(linuxDisk, at, mode);
      await scene.run(crashing.disk).catch(() => undefined);
      if (!crashing.crashed()) return removeDirectory(parent);
      tried++;
      const located = locateFolder(linuxDisk, Buffer.from(scene.folder), FOLDER)?.realPath;
      if (located) {
        const { to, report } = await out(located);
        expect(report.damaged, `crash at change ${at}, ${mode}`).toEqual([]);
        expect(scene.acceptable.map(contents), `crash at change ${at}, ${mode}`).toContainEqual(contents(snapshot(to)));
      }
      removeDirectory(parent);
    }
  });
});
