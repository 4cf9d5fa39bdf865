import { spawnSync } from "node:child_process";
import * as fs from "node:fs";
import * as path from "node:path";
import { describe, expect, it } from "vitest";
import { bringBack, putBackHidden, removeScript } from "../../src/hidden/bring-back";
import { type HiddenFound, findHidden } from "../../src/hidden/find-hidden";
import { hiddenNamesIn } from "../../src/onlooker/hiding";
import { meansByName, plainName, shownName } from "../../src/hidden/means";
import { type ScriptLock, readScript } from "../../src/hidden/script-locks";
import { type Spot, spotAt } from "../../src/hidden/spot";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import { CAN_MOUNT, Drive } from "../support/mounts";
import { usePlace } from "../support/place";
import { snapshot } from "../support/world";

let base: string;
usePlace((place) => ({ base } = place));

async function look(
  at = base,
): Promise<{ readonly found: HiddenFound[]; readonly scripts: ScriptLock[]; readonly unreadable: readonly string[] }> {
  const found: HiddenFound[] = [];
  const scripts: ScriptLock[] = [];
  const { unreadable } = await findHidden({
    disk: linuxDisk,
    places: [Buffer.from(at)],
    onFound: (one) => void found.push(one),
    onScript: (one) => void scripts.push(one),
    onProgress: () => undefined,
    isStopped: () => false,
  });
  return { found, scripts, unreadable };
}

function make(
  name: string,
  inside: Readonly<Record<string, string>> = { "photo.jpg": "photo", "letter.pdf": "letter" },
): string {
  const folder = path.join(base, name);
  fs.mkdirSync(folder, { recursive: true });
  for (const [file, content] of Object.entries(inside)) fs.writeFileSync(path.join(folder, file), content);
  return folder;
}

describe("what is hidden by common means", () => {
  it("names tell of dots, blanks and class ids; what can't be seen is told", () => {
    expect(
      [
        "Payroll",
        ".Payroll",
        " ",
        "\u00a0\u00a0",
        "\u200b",
        "\u2800",
        "\u3164",
        ".\u200b",
        "Panel.{21EC2020-3AEA-1069-A2DD-08002B30309D}",
        ".x.{21ec2020-3aea-1069-a2dd-08002b30309d}",
        "a b",
        "...",
      ].map(meansByName),
    ).toEqual([
      [],
      ["dot"],
      ["blank"],
      ["blank"],
      ["blank"],
      ["blank"],
      ["blank"],
      ["dot", "blank"],
      ["class-id"],
      ["dot", "class-id"],
      [],
      ["dot"],
    ]);
    expect([".Payroll", "..x", " ", "Panel.{21EC2020-3AEA-1069-A2DD-08002B30309D}", ".\u200b"].map(plainName)).toEqual([
      "Payroll",
      "x",
      "Found again",
      "Panel",
      "Found again",
    ]);
    expect(shownName("\u200b")).toBe("(a name of 1 character that can’t be seen: U+200B)");
    expect(shownName("a\u202egpj.exe")).toBe("aU+202Egpj.exe");
  });

  it("each is found with what it probably is, brought back, and hidden again exactly as it was", async () => {
    make(".Diary");
    make(".config/app", { "settings.json": "{}", "state.db": "x" });
    make("Taxes");
    fs.writeFileSync(path.join(base, ".hidden"), "Taxes\nnot there\n");
    make("\u3164");
    make("Panel.{21EC2020-3AEA-1069-A2DD-08002B30309D}");
    make("Shut");
    fs.chmodSync(path.join(base, "Shut"), 0o000);
    fs.writeFileSync(path.join(make("Icon"), ".directory"), "[Desktop Entry]\nIcon=\n");
    fs.writeFileSync(path.join(base, ".secret.docx"), "secret");
    const before = snapshot(base);
    const { found, scripts } = await look();
    expect(
      found
        .map(({ path: at, means, probably, name }) => [path.relative(base, at.toString()), means, probably, name])
        .sort(),
    ).toEqual([
      [".Diary", ["dot"], "yours", "Diary"],
      [".config", ["dot"], "a program's", "config"],
      [".secret.docx", ["dot"], "yours", "secret.docx"],
      ["Icon", ["icon"], "yours", "Icon"],
      ["Panel.{21EC2020-3AEA-1069-A2DD-08002B30309D}", ["class-id"], "yours", "Panel"],
      ["Shut", ["no-read"], expect.any(String), "Shut"],
      ["Taxes", ["list"], "yours", "Taxes"],
      ["\u3164", ["blank"], "yours", "Found again"],
    ]);
    expect(scripts).toEqual([]);
    const all = found
      .filter(({ probably }) => probably !== "a program's")
      .map(({ spot }) => bringBack(linuxDisk, spot));
    expect((await look()).found.map(({ path: at }) => path.relative(base, at.toString()))).toEqual([".config"]);
    expect(fs.readdirSync(base).sort()).toEqual([
      ".config",
      ".hidden",
      "Diary",
      "Found again",
      "Icon",
      "Panel",
      "Payroll",
      "Shut",
      "Taxes",
      "secret.docx",
    ]);
    expect(fs.readFileSync(path.join(base, ".hidden"), "utf8")).toBe("not there\n");
    for (const { undo } of [...all].reverse()) putBackHidden(linuxDisk, undo);
    const strip = (lines: readonly string[]): string[] =>
      lines.map((line) => line.replace(/mtime=\d+/, "")).filter((line) => !line.startsWith("/.hidden"));
    expect(strip(snapshot(base))).toEqual(strip(before));
    expect(fs.readFileSync(path.join(base, ".hidden"), "utf8").split("\n").sort()).toEqual(["", "Taxes", "not there"]);
  });

  it("replaces nothing: where the plain name is taken, it gets one beside it", async () => {
    make(".Diary");
    make("Diary", { "other.txt": "other" });
    const { path: at } = bringBack(linuxDisk, spotAt(linuxDisk, Buffer.from(path.join(base, ".Diary"))));
    expect(path.basename(at.toString())).toBe("Diary (2)");
    expect(fs.readdirSync(path.join(base, "Diary"))).toEqual(["other.txt"]);
  });

  it.runIf(CAN_MOUNT)("a flag that lets nobody change it is found and taken off, where this account may", async () => {
    const folder = make("Frozen");
    expect(spawnSync("chattr", ["+i", folder]).status).toBe(0);
    try {
      expect((await look()).found).toMatchObject([{ means: ["immutable"] }]);
      const { undo } = bringBack(linuxDisk, spotAt(linuxDisk, Buffer.from(folder)));
      fs.writeFileSync(path.join(folder, "new.txt"), "new");
      expect((await look()).found).toEqual([]);
      putBackHidden(linuxDisk, undo);
      expect(() => fs.writeFileSync(path.join(folder, "newer.txt"), "newer")).toThrow();
    } finally {
      spawnSync("chattr", ["-i", folder]);
    }
  });

  it.runIf(CAN_MOUNT)("a volume's own hidden and system attributes are found and taken off", async () => {
    const drive = new Drive("ntfs");
    const volume = drive.at;
    try {
      const folder = path.join(volume, "Payroll");
      fs.mkdirSync(folder);
      fs.writeFileSync(path.join(folder, "letter.pdf"), "letter");
      expect((await look(volume)).found.filter(({ path: at }) => at.toString().endsWith("Payroll"))).toEqual([]);
      expect(spawnSync("setfattr", ["-n", "system.ntfs_attrib_be", "-v", "0x00000016", folder]).status).toBe(0);
      expect((await look(volume)).found.filter(({ path: at }) => at.toString().endsWith("Payroll"))).toMatchObject([
        { means: ["attributes"], probably: "yours" },
      ]);
      const { undo } = bringBack(linuxDisk, spotAt(linuxDisk, Buffer.from(folder)));
      expect((await look(volume)).found.filter(({ path: at }) => at.toString().endsWith("Payroll"))).toEqual([]);
      putBackHidden(linuxDisk, undo);
      expect((await look(volume)).found.filter(({ path: at }) => at.toString().endsWith("Payroll"))).toHaveLength(1);
    } finally {
      drive.remove();
    }
  });
});

const BATCH = `@ECHO OFF
if EXIST "Control Panel.{21EC2020-3AEA-1069-A2DD-08002B30309D}" goto UNLOCK
if NOT EXIST Private goto MAKE
ren Private "Control Panel.{21EC2020-3AEA-1069-A2DD-08002B30309D}"
attrib +h +s "Control Panel.{21EC2020-3AEA-1069-A2DD-08002B30309D}"
goto End
:UNLOCK
set/p "pass=>"
if NOT %pass%==violin goto FAIL
attrib -h -s "Control Panel.{21EC2020-3AEA-1069-A2DD-08002B30309D}"
ren "Control Panel.{21EC2020-3AEA-1069-A2DD-08002B30309D}" Private
`;
const SHELL = `#!/bin/sh
read -s -p "Password: " pass
if [ "$pass" = "violin" ]; then mv .private Private; chmod 700 Private; else chmod 000 .private; fi
mv Private .private
`;

describe("home-made script locks", () => {
  it("are known by what they do; honest scripts are not taken for them", () => {
    expect(readScript(BATCH)).toMatchObject({
      hasPassword: true,
      does: expect.arrayContaining([expect.stringContaining("hidden and system")]),
      names: expect.arrayContaining(["Control Panel.{21EC2020-3AEA-1069-A2DD-08002B30309D}"]),
    });
    expect(readScript(SHELL)).toMatchObject({ hasPassword: true, names: expect.arrayContaining([".private"]) });
    for (const honest of [
      "#!/bin/sh\nchmod 600 key\n",
      '#!/bin/sh\nif [ "$1" = "build" ]; then make; fi\n',
      "@echo off\nattrib -r *.txt\n",
      "mv old new\n",
      "#!/bin/sh\nmv build .build\n",
      "",
    ])
      expect(readScript(honest), honest).toBeNull();
  });

  it.each([
    ["lock.bat", BATCH, "Control Panel.{21EC2020-3AEA-1069-A2DD-08002B30309D}", "Private"],
    ["lock.sh", SHELL, ".private", "Private"],
  ])(
    "%s: the folder it hides is named, brought back, and the script removed; all of it can be undone",
    async (name, text, hidden, plain) => {
      make(hidden);
      fs.writeFileSync(path.join(base, name), text, { mode: 0o755 });
      const { scripts, found } = await look();
      expect(scripts).toMatchObject([{ hasPassword: true, targetShown: path.join(base, hidden) }]);
      expect(found.map(({ path: at }) => at.toString())).toEqual([path.join(base, hidden)]);
      const [script] = scripts;
      const brought = bringBack(linuxDisk, script?.targetSpot as Spot, script?.originalName);
      const removed = removeScript(linuxDisk, script?.spot as Spot);
      expect(fs.readdirSync(base).sort()).toEqual(["Payroll", plain].sort());
      putBackHidden(linuxDisk, [removed, ...brought.undo]);
      expect(fs.readdirSync(base).sort()).toEqual(["Payroll", hidden, name].sort());
      expect([fs.readFileSync(path.join(base, name), "utf8"), fs.statSync(path.join(base, name)).mode & 0o777]).toEqual(
        [text, 0o755],
      );
    },
  );
});

/** What whoever may write beside them puts there between the search and the click. */
describe("what was found is the same thing when it is acted on", () => {
  const secret = (): string => fs.readFileSync(path.join(base, "private", "id_key"), "utf8");
  function makeSecret(): string {
    const file = path.join(make("private", { id_key: "the owner's own key" }), "id_key");
    fs.chmodSync(file, 0o600);
    return file;
  }

  it("a script exchanged for a link to a private file is not removed, and nothing of the file is kept or written", async () => {
    const key = makeSecret();
    make(".private");
    const script = path.join(base, "lock.sh");
    fs.writeFileSync(script, SHELL, { mode: 0o755 });
    const [found] = (await look()).scripts;
    fs.rmSync(script);
    fs.symlinkSync(key, script);
    expect(() => removeScript(linuxDisk, found?.spot as Spot)).toThrow(expect.objectContaining({ code: "not-found" }));
    fs.rmSync(script);
    fs.writeFileSync(script, "another script", { mode: 0o755 });
    expect(() => removeScript(linuxDisk, found?.spot as Spot)).toThrow(expect.objectContaining({ code: "not-found" }));
    expect([secret(), fs.readFileSync(script, "utf8")]).toEqual(["the owner's own key", "another script"]);
  });

  it("a script is put back only into the directory it was taken from, over nothing and through no link", async () => {
    make("shared/.private");
    const script = path.join(base, "shared", "lock.sh");
    fs.writeFileSync(script, SHELL, { mode: 0o755 });
    const [found] = (await look()).scripts;
    const removed = removeScript(linuxDisk, found?.spot as Spot);
    const login = make("autostart", {});
    fs.renameSync(path.join(base, "shared"), path.join(base, "shared before"));
    fs.symlinkSync(login, path.join(base, "shared"));
    expect(() => putBackHidden(linuxDisk, [removed])).toThrow();
    fs.rmSync(path.join(base, "shared"));
    fs.mkdirSync(path.join(base, "shared"));
    expect(() => putBackHidden(linuxDisk, [removed])).toThrow(expect.objectContaining({ code: "not-found" }));
    expect([fs.readdirSync(login), fs.readdirSync(path.join(base, "shared"))]).toEqual([[], []]);
    fs.rmdirSync(path.join(base, "shared"));
    fs.renameSync(path.join(base, "shared before"), path.join(base, "shared"));
    const target = path.join(base, "elsewhere");
    fs.symlinkSync(target, script);
    expect(() => putBackHidden(linuxDisk, [removed])).toThrow();
    expect(fs.existsSync(target)).toBe(false);
    fs.rmSync(script);
    putBackHidden(linuxDisk, [removed]);
    expect(fs.readFileSync(script, "utf8")).toBe(SHELL);
  });

  it("a list that is a link is neither read nor written, and what lies beside it under the names of a rewrite stays", async () => {
    const key = makeSecret();
    make("Taxes");
    fs.writeFileSync(path.join(base, ".hidden"), "Taxes\nother\n");
    const [found] = (await look()).found.filter(({ path: at }) => at.toString().endsWith("Taxes"));
    fs.symlinkSync(key, path.join(base, ".hidden.new"));
    const { undo } = bringBack(linuxDisk, found?.spot as Spot);
    expect(fs.readFileSync(path.join(base, ".hidden"), "utf8")).toBe("other\n");
    fs.rmSync(path.join(base, ".hidden"));
    fs.symlinkSync(key, path.join(base, ".hidden"));
    expect(() => putBackHidden(linuxDisk, undo)).toThrow(expect.objectContaining({ code: "no-permission" }));
    expect([
      secret(),
      fs.lstatSync(path.join(base, ".hidden.new")).isSymbolicLink(),
      fs.readdirSync(base).filter((name) => name.startsWith(".hidden")),
    ]).toEqual(["the owner's own key", true, [".hidden", ".hidden.new"]]);
  });

  it("a directory exchanged after the search gets no other permissions or name; nor does one exchanged after it was brought back", async () => {
    const shut = make("Shut");
    fs.chmodSync(shut, 0o000);
    const [found] = (await look()).found;
    fs.renameSync(shut, path.join(base, "moved"));
    const key = makeSecret();
    fs.symlinkSync(path.dirname(key), shut);
    expect(() => bringBack(linuxDisk, found?.spot as Spot)).toThrow(expect.objectContaining({ code: "not-found" }));
    fs.rmSync(shut);
    fs.renameSync(path.join(base, "moved"), shut);
    const { undo } = bringBack(linuxDisk, found?.spot as Spot);
    fs.renameSync(shut, path.join(base, "moved"));
    fs.mkdirSync(shut, { mode: 0o755 });
    expect(() => putBackHidden(linuxDisk, undo)).toThrow(expect.objectContaining({ code: "not-found" }));
    expect(fs.statSync(shut).mode & 0o777).toBe(0o755);
  });

  it("pipes in the place of lists, icons and scripts hold nothing up, here and in a listing", async () => {
    make("Icon");
    for (const pipe of [".hidden", "Icon/.directory", "Icon/desktop.ini", "lock.sh", "Icon/.hidden"])
      expect(spawnSync("mkfifo", [path.join(base, pipe)]).status).toBe(0);
    expect(await look()).toMatchObject({ found: [], scripts: [] });
    expect([...hiddenNamesIn(linuxDisk.looks, base)]).toEqual([]);
  });

  it.runIf(process.getuid?.() === 0)("another account's entry is left alone", async () => {
    const theirs = make(".Theirs");
    const [found] = (await look()).found;
    const stranger = spawnSync(process.execPath, ["-e", ""], { uid: 65_534 });
    expect(stranger.status).toBe(0);
    const disk = { ...linuxDisk, owns: ({ uid }: { readonly uid: number }) => uid === 65_534 };
    expect(() => bringBack(disk, found?.spot as Spot)).toThrow(expect.objectContaining({ code: "no-permission" }));
    expect(fs.existsSync(theirs)).toBe(true);
  });
});
