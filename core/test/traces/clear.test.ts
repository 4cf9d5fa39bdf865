import { spawnSync } from "node:child_process";
import * as fs from "node:fs";
import * as path from "node:path";
import fc from "fast-check";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { generateKeyPair } from "../../src/crypto/envelope";
import { fileAddress, silentHooks } from "../../src/engine/ground";
import { linuxDiskOf as diskOf } from "../../src/platform/linux/linux-disk";
import type { Disk } from "../../src/platform/port";
import {
  type ClearInput,
  type Cleared,
  type TracesBack,
  clearTraces,
  findTraces,
  keptTracesIn,
  putTracesBack,
} from "../../src/traces";
import { putBelow, thumbnail, traceHome, xbel } from "./remembered";
import { newDirectory, removeDirectory, snapshot } from "../support/world";

const disk = diskOf(Buffer.alloc(32, 7));
const FOLDER_ID = "00112233445566778899aabbccddeeff";
let base: string;
let folder: string;
let owner: Awaited<ReturnType<typeof generateKeyPair>>;
beforeEach(async () => {
  base = fs.realpathSync(newDirectory());
  folder = path.join(base, "Adoption papers");
  fs.mkdirSync(folder);
  owner = await generateKeyPair();
});
afterEach(() => removeDirectory(base));

const at = (...parts: string[]): string => path.join(base, ...parts);
const put = (content: string | Buffer, ...parts: string[]): string => putBelow(base, content, ...parts);
const address = (name: string): string => fileAddress(Buffer.from(path.join(folder, name)));
const looking = () => ({ home: traceHome(base), folder: Buffer.from(folder), inside: null });
const keptAt = (): Buffer => Buffer.from(at("data", "cleared"));
function clear(given: Partial<ClearInput> = {}, on: Disk = disk, hooks = silentHooks): Promise<Cleared> {
  fs.mkdirSync(at("data"), { recursive: true });
  const keep = { directory: keptAt(), publicKey: owner.publicKey, folder: FOLDER_ID, at: 5, day: 1 };
  return clearTraces(on, { ...looking(), ids: null, kinds: null, onlySure: true, keep, ...given }, hooks);
}
function putBack({ kept }: Cleared, on: Disk = disk): Promise<TracesBack> {
  return putTracesBack(on, { directory: keptAt(), id: kept ?? "", privateKeys: [owner.privateKey] });
}
/** Everything but what Eremos keeps; the times of lists and of what they lie in change when they are written anew. */
const standing = (): string[] =>
  snapshot(base)
    .filter((entry) => !entry.startsWith("/data"))
    .map((entry) => (/^\/(?:share\/Trash\/files\/|\S*\.png)/.test(entry) ? entry : entry.replace(/ mtime=\d+/, "")));
const told = async () =>
  (await findTraces(disk, looking())).traces.map(({ kind, where }) => `${kind} ${path.relative(base, String(where))}`);

/** A trace of every kind between what is of others. */
function fill(): void {
  put(
    xbel(["file:///one", address("a b.txt"), "file:///two", address("é.txt"), address("")]),
    "share/recently-used.xbel",
  );
  put("[Desktop Entry]\nURL[$e]=file:$HOME/Adoption%20papers/b.odt\n", "share/RecentDocuments/b.odt.desktop");
  put(thumbnail(address("face.jpg")), "cache/thumbnails/large/face.png");
  put(thumbnail("file:///elsewhere.jpg"), "cache/thumbnails/large/other.png");
  put(`file:///one One\n${address("")} Papers\nfile:///two`, "config/gtk-3.0/bookmarks");
  put(xbel([address(""), "trash:/"]), "share/user-places.xbel");
  put(
    `#1\nls\n#2\ncat "${folder}/a"\n#3\nfor f in ${folder.replaceAll(" ", "\\ ")}/*; do\n  ls\ndone\n#4\npwd\n`,
    ".bash_history",
  );
  put(`: 1:0;ls\n: 2:0;ls ${folder.replaceAll(" ", "\\ ")} \\\n  -l\n: 3:0;pwd`, ".zsh_history");
  put(`- cmd: ls "${folder}"\n  when: 1\n  paths:\n    - a\n- cmd: pwd\n  when: 2\n`, "share/fish/fish_history");
  put(`# vim\n> ~/Adoption papers/a\n\t"\t1\t0\n\t.\t1\t0\n> ~/other\n\t"\t1\t0\n`, ".viminfo");
  put("half", `.vim/swap/${`${folder}/a`.replaceAll("/", "%")}.swp`);
  put(
    `<?xml version="1.0"?>\n<oor:items xmlns:oor="x">\n<item oor:path="ItemList"><node oor:name="${address("é.odt")}"/></item>\n<item oor:path="OrderList"><node oor:name="0"><prop><value>${address("é.odt")}</value></prop></node></item>\n<item oor:path="other"><value>file:///one</value></item>\n</oor:items>\n`,
    "config/libreoffice/4/user/registrymodifications.xcu",
  );
  put("words", "Adoption papers/draft.txt");
  put("inside", "Adoption papers/Old letters/deep/a.txt");
  fs.symlinkSync("/elsewhere", at("Adoption papers/Old letters/link"));
  put("other", "elsewhere/other.txt");
  for (const file of ["Adoption papers/draft.txt", "Adoption papers/Old letters", "elsewhere/other.txt"]) {
    const { status } = spawnSync("gio", ["trash", at(file)], {
      env: { ...process.env, HOME: base, XDG_DATA_HOME: at("share") },
    });
    expect(status).toBe(0);
  }
  put(`6 1 Old%20letters\n7 2 Other\n`, "share/Trash/directorysizes");
  fs.chmodSync(at(".bash_history"), 0o640);
}

describe("clearing the traces of a folder", () => {
  it("takes each of them away and leaves every other byte, right and entry as it was; what went comes back byte for byte", async () => {
    fill();
    const before = standing();
    const texts = new Map(
      [".bash_history", ".zsh_history", "config/gtk-3.0/bookmarks", ".viminfo", "share/fish/fish_history"].map(
        (name) => [name, fs.readFileSync(at(name), "utf8")],
      ),
    );
    const found = (await findTraces(disk, looking())).traces;
    expect(new Set(found.map(({ kind }) => kind)).size).toBe(7);
    const cleared = await clear();
    expect(cleared.left).toEqual([]);
    expect([...cleared.ids].sort()).toEqual(found.map(({ id }) => id).sort());
    expect(await told()).toEqual([]);
    expect(fs.readFileSync(at("share/recently-used.xbel"), "utf8")).toBe(xbel(["file:///one", "file:///two"]));
    expect(fs.readFileSync(at("share/user-places.xbel"), "utf8")).toBe(xbel(["trash:/"]));
    expect(fs.readFileSync(at(".bash_history"), "utf8")).toBe("#1\nls\n#4\npwd\n");
    expect(fs.readFileSync(at(".zsh_history"), "utf8")).toBe(": 1:0;ls\n: 3:0;pwd");
    expect(fs.readFileSync(at("share/fish/fish_history"), "utf8")).toBe("- cmd: pwd\n  when: 2\n");
    expect(fs.readFileSync(at("config/gtk-3.0/bookmarks"), "utf8")).toBe("file:///one One\nfile:///two");
    expect(fs.readFileSync(at(".viminfo"), "utf8")).toBe('# vim\n> ~/other\n\t"\t1\t0\n');
    expect(fs.readFileSync(at("config/libreoffice/4/user/registrymodifications.xcu"), "utf8")).toBe(
      '<?xml version="1.0"?>\n<oor:items xmlns:oor="x">\n<item oor:path="other"><value>file:///one</value></item>\n</oor:items>\n',
    );
    expect(fs.readFileSync(at("share/Trash/directorysizes"), "utf8")).toBe("7 2 Other\n");
    expect(fs.readdirSync(at("share/Trash/files"))).toEqual(["other.txt"]);
    expect(fs.readdirSync(at("cache/thumbnails/large"))).toEqual(["other.png"]);
    expect(fs.statSync(at(".bash_history")).mode & 0o777).toBe(0o640);
    for (const entry of fs.readdirSync(at("data/cleared")))
      expect(fs.readFileSync(at("data/cleared", entry), "latin1")).not.toMatch(/Adoption|papers|letters|face|words/);
    expect(await putBack(cleared)).toMatchObject({ left: [] });
    for (const [name, text] of texts) expect(fs.readFileSync(at(name), "utf8"), name).toBe(text);
    expect(standing()).toEqual(before);
    expect(fs.readdirSync(at("data/cleared"))).toEqual([]);
  });

  it("takes only those that were chosen", async () => {
    fill();
    const found = (await findTraces(disk, looking())).traces;
    const [first] = found.filter(({ kind }) => kind === "recent");
    const { ids } = await clear({ ids: [first?.id ?? ""] });
    expect(ids).toEqual([first?.id]);
    const stays = await clear({ kinds: ["shell"] });
    expect(stays.ids).toHaveLength(found.filter(({ kind }) => kind === "shell").length);
    expect((await told()).filter((one) => one.startsWith("shell"))).toEqual([]);
    expect(await told()).toHaveLength(found.length - 1 - stays.ids.length);
  });

  it("keeps nothing where that is asked, and says so", async () => {
    fill();
    expect((await clear({ keep: null })).kept).toBeNull();
    expect(await told()).toEqual([]);
    expect(fs.existsSync(at("data/cleared"))).toBe(false);
  });
});

describe("what can't be cleared is left as it is, with the reason, and the rest goes", () => {
  it.each([
    [
      "a list with another name",
      () => fs.linkSync(at(".bash_history"), at("another name")),
      ".bash_history",
      /other names/,
    ],
    [
      "a swap file that holds a pipe's place",
      () => {
        fs.rmSync(at("share/Trash/files/Old letters/link"));
        spawnSync("mkfifo", [at("share/Trash/files/Old letters/link")]);
      },
      "share/Trash/files/Old letters",
      /can't be kept/,
    ],
  ])("%s", async (_title, make, where, reason) => {
    fill();
    make();
    const before = standing().filter((entry) => entry.startsWith(`/${where}`));
    const { left, ids } = await clear();
    expect(left.map((one) => [path.relative(base, String(one.where)), reason.test(one.reason)])).toEqual([
      [where, true],
    ]);
    expect(standing().filter((entry) => entry.startsWith(`/${where}`))).toEqual(before);
    expect((await told()).length).toBeGreaterThan(0);
    expect((await told()).every((one) => one.endsWith(where))).toBe(true);
    expect(ids.length).toBeGreaterThan(8);
  });

  it("a file that a program is writing", async () => {
    fill();
    const held = fs.openSync(at(".zsh_history"), "a");
    try {
      expect((await clear()).left.map(({ reason }) => reason)).toEqual([expect.stringContaining("is writing")]);
    } finally {
      fs.closeSync(held);
    }
    expect(await told()).toEqual(["shell .zsh_history"]);
  });

  it("a link in the place of a list, which is told of and not followed", async () => {
    fill();
    fs.renameSync(at(".bash_history"), at("elsewhere/history"));
    fs.symlinkSync(at("elsewhere/history"), at(".bash_history"));
    const text = fs.readFileSync(at("elsewhere/history"), "utf8");
    expect((await findTraces(disk, looking())).troubles.map(({ where }) => path.relative(base, String(where)))).toEqual(
      [".bash_history"],
    );
    await clear();
    expect(fs.readFileSync(at("elsewhere/history"), "utf8")).toBe(text);
  });

  it("what was changed between keeping it and taking it away", async () => {
    fill();
    const swap = at(`.vim/swap/${`${folder}/a`.replaceAll("/", "%")}.swp`);
    const { left } = await clear(
      {},
      meddling("unlink", () => fs.appendFileSync(swap, "more")),
    );
    expect(left).toEqual([expect.objectContaining({ where: Buffer.from(swap) })]);
    expect(fs.readFileSync(swap, "utf8")).toBe("halfmore");
  });

  it("whatever can't be kept: nothing goes where there is no room", async () => {
    fill();
    const before = standing();
    const full = failing("write", "ENOSPC");
    await expect(clear({}, full)).rejects.toMatchObject({ code: "no-space" });
    expect(standing()).toEqual(before);
  });

  it("and where keeping it would fill the disk", async () => {
    fill();
    const before = standing();
    const nearlyFull: Disk = new Proxy(disk, {
      get: (target, name: keyof Disk) => (name === "freeBytes" ? () => 64 * 1024 * 1024 : target[name]),
    });
    await expect(clear({}, nearlyFull)).rejects.toMatchObject({ code: "no-space" });
    expect(standing()).toEqual(before);
    expect(fs.readdirSync(at("data/cleared"))).toEqual([]);
    expect((await clear({ keep: null }, nearlyFull)).left).toEqual([]);
  });

  it("what another clearing is writing at the moment, and what one left that was killed goes after a while", async () => {
    fill();
    const [young, old] = [`.${"a".repeat(32)}.eremos`, `.${"b".repeat(32)}.eremos`];
    const kept = (letter: string): string => at("data/cleared", `${letter.repeat(32)}.new`);
    fs.mkdirSync(at("data/cleared"), { recursive: true });
    for (const one of [at(young), at(old), kept("a"), kept("b")]) fs.writeFileSync(one, "half");
    const yesterday = new Date(Date.now() - 24 * 3600 * 1000);
    for (const one of [at(old), kept("b")]) fs.utimesSync(one, yesterday, yesterday);
    expect((await clear()).left).toEqual([]);
    expect([at(young), at(old), kept("a"), kept("b")].map((one) => fs.existsSync(one))).toEqual([
      true,
      false,
      true,
      false,
    ]);
  });

  it("one that the disk can't read to its end; everything else is kept and goes", async () => {
    fill();
    const bad = at("share/Trash/files/Old letters/deep/a.txt");
    const { left } = await clear({}, failing("read", "EIO", bad));
    expect(left.map(({ where }) => path.relative(base, String(where)))).toEqual(["share/Trash/files/Old letters"]);
    expect(await told()).toEqual(["trash share/Trash/files/Old letters"]);
    expect(fs.readFileSync(bad, "utf8")).toBe("inside");
  });
});

/** Does something once, before the first call of that name. */
function meddling(call: keyof Disk, meddle: () => void): Disk {
  let isDone = false;
  return wrapped(call, () => {
    if (!isDone) meddle();
    isDone = true;
  });
}

function failing(call: keyof Disk, code: string, of?: string): Disk {
  return wrapped(call, (handle) => {
    if (of === undefined || fs.readlinkSync(`/proc/self/fd/${handle}`) === of)
      throw Object.assign(new Error(code), { code });
  });
}

function wrapped(call: keyof Disk, before: (handle: number) => void): Disk {
  return new Proxy(disk, {
    get: (target, name: keyof Disk) => {
      const its = target[name];
      if (name !== call || typeof its !== "function") return its;
      return (...given: readonly unknown[]): unknown => {
        before((given[0] as { readonly handle: number }).handle);
        return Reflect.apply(its, target, given);
      };
    },
  });
}

describe("a list that a program writes at the same moment", () => {
  it("keeps what was written into it up to the last moment", async () => {
    fill();
    const list = at(".bash_history");
    const { left } = await clear(
      { kinds: ["shell"] },
      meddlingAt("rename", ".bash_history", () => fs.appendFileSync(list, "#5\nlate\n")),
    );
    expect(left).toEqual([]);
    expect(fs.readFileSync(list, "utf8")).toBe("#1\nls\n#4\npwd\n#5\nlate\n");
  });

  it("and replaces altogether is left as the program made it", async () => {
    fill();
    const list = at(".bash_history");
    const { left } = await clear(
      { kinds: ["shell"] },
      meddlingAt("create", ".bash_history", () => {
        fs.writeFileSync(at("new"), "all new\n");
        fs.renameSync(at("new"), list);
      }),
    );
    expect(left.map(({ where }) => String(where))).toEqual([list]);
    expect(fs.readFileSync(list, "utf8")).toBe("all new\n");
    expect(fs.readdirSync(base).filter((name) => name.endsWith(".eremos"))).toEqual([]);
  });
});

/** Once, before the first call of that name that works for this list. */
function meddlingAt(call: "rename" | "create", _list: string, meddle: () => void): Disk {
  let isDone = false;
  return new Proxy(disk, {
    get: (target, name: keyof Disk) => {
      const its = target[name];
      if (name !== call || typeof its !== "function") return its;
      return (...given: readonly unknown[]): unknown => {
        if (!isDone && String(given[1]).endsWith(".eremos")) {
          isDone = true;
          meddle();
        }
        return Reflect.apply(its, target, given);
      };
    },
  });
}

describe("putting back", () => {
  it("into a list that was written since: beside its neighbours, and nothing that came since is lost", async () => {
    fill();
    const cleared = await clear();
    fs.appendFileSync(at(".bash_history"), "#5\nlater\n");
    fs.writeFileSync(
      at("share/recently-used.xbel"),
      fs
        .readFileSync(at("share/recently-used.xbel"), "utf8")
        .replace("</xbel>", '  <bookmark href="file:///later"/>\n</xbel>'),
    );
    expect((await putBack(cleared)).left).toEqual([]);
    expect(fs.readFileSync(at(".bash_history"), "utf8")).toBe(
      `#1\nls\n#2\ncat "${folder}/a"\n#3\nfor f in ${folder.replaceAll(" ", "\\ ")}/*; do\n  ls\ndone\n#4\npwd\n#5\nlater\n`,
    );
    expect(fs.readFileSync(at("share/recently-used.xbel"), "utf8")).toBe(
      xbel(["file:///one", address("a b.txt"), "file:///two", address("é.txt"), address("")]).replace(
        "</xbel>",
        '  <bookmark href="file:///later"/>\n</xbel>',
      ),
    );
  });

  it("leaves what stands in the place of a file, says so, and keeps what was cleared", async () => {
    fill();
    const cleared = await clear();
    put("something else", "cache/thumbnails/large/face.png");
    const { left } = await putBack(cleared);
    expect(left.map(({ where }) => path.relative(base, String(where)))).toEqual(["cache/thumbnails/large/face.png"]);
    expect(fs.readFileSync(at("cache/thumbnails/large/face.png"), "utf8")).toBe("something else");
    fs.rmSync(at("cache/thumbnails/large/face.png"));
    expect((await putBack(cleared)).left).toEqual([]);
    expect(fs.readFileSync(at("cache/thumbnails/large/face.png"))).toEqual(thumbnail(address("face.jpg")));
  });

  it("makes a list and the directories anew that are gone", async () => {
    fill();
    const cleared = await clear({ kinds: ["shell", "thumbnails"] });
    fs.rmSync(at(".zsh_history"));
    fs.rmSync(at("cache"), { recursive: true });
    expect((await putBack(cleared)).left).toEqual([]);
    expect(fs.readFileSync(at(".zsh_history"), "utf8")).toBe(`: 2:0;ls ${folder.replaceAll(" ", "\\ ")} \\\n  -l\n`);
    expect(fs.readdirSync(at("cache/thumbnails/large"))).toEqual(["face.png"]);
  });

  it("changes nothing where clearing was cut off before anything went, and puts back what went until then", async () => {
    fill();
    const before = standing();
    // Kept, and then nothing: as after a power cut.
    await expect(clear({}, failing("unlink", "EIO")).then(({ left }) => left.length)).resolves.toBeGreaterThan(0);
    const [kept] = keptHere();
    expect((await putBack({ kept: kept?.id ?? "", ids: [], left: [] })).left).toEqual([]);
    expect(standing()).toEqual(before);
  });

  it("takes nothing from what somebody else wrote, changed, or cut off", async () => {
    fill();
    const cleared = await clear();
    const before = standing();
    const [name = ""] = fs.readdirSync(at("data/cleared"));
    const whole = fs.readFileSync(at("data/cleared", name));
    for (const [what, bytes] of [
      ["cut off", whole.subarray(0, whole.length - 1)],
      ["another count", Buffer.from(whole.toString("latin1").replace('"at":5', '"at":6'), "latin1")],
      [
        "a changed byte",
        Buffer.concat([whole.subarray(0, -20), Buffer.from([(whole.at(-20) ?? 0) ^ 1]), whole.subarray(-19)]),
      ],
    ] as const) {
      fs.writeFileSync(at("data/cleared", name), bytes);
      await expect(putBack(cleared), what).rejects.toMatchObject({ code: "damaged" });
    }
    fs.writeFileSync(at("data/cleared", name), whole);
    const stranger = diskOf(Buffer.alloc(32, 8));
    await expect(putBack(cleared, stranger)).rejects.toMatchObject({ code: "damaged" });
    expect(keptHere(stranger)).toEqual([]);
    const key = await generateKeyPair();
    await expect(
      putTracesBack(disk, { directory: keptAt(), id: cleared.kept ?? "", privateKeys: [key.privateKey] }),
    ).rejects.toMatchObject({ code: "damaged" });
    expect(standing()).toEqual(before);
  });
});

const keptHere = (on: Disk = disk) => keptTracesIn(on, keptAt());

it("any chosen entries of any list go and come back, and all others stay in their order", async () => {
  await fc.assert(
    fc.asyncProperty(
      fc.array(fc.record({ ours: fc.boolean(), name: fc.integer({ min: 0, max: 3 }) }), { maxLength: 12 }),
      fc.boolean(),
      async (entries, ends) => {
        const line = ({ ours, name }: { ours: boolean; name: number }): string =>
          ours ? `ls "${folder}/${name}"` : `ls ${name}`;
        const text = entries.map(line).join("\n") + (ends && entries.length > 0 ? "\n" : "");
        put(text, ".bash_history");
        const cleared = await clear({ kinds: ["shell"] });
        const lines = text.match(/[^\n]*\n|[^\n]+$/g) ?? [];
        expect(fs.readFileSync(at(".bash_history"), "utf8")).toBe(
          lines.filter((one) => !one.includes("papers")).join(""),
        );
        if (cleared.kept !== null) await putBack(cleared);
        expect(fs.readFileSync(at(".bash_history"), "utf8")).toBe(text);
      },
    ),
    { numRuns: 40 },
  );
});

describe("killed in the middle", () => {
  const CHANGES = [
    "create",
    "write",
    "truncate",
    "syncFile",
    "syncDir",
    "makeDir",
    "rename",
    "renameExclusive",
    "unlink",
    "removeDir",
  ] as const;
  const isChange = (name: string): boolean => (CHANGES as readonly string[]).includes(name);

  /** Ends before the change of that number, as a kill does: nothing is undone, and nothing more is done. */
  function killedBefore(number: number): { readonly disk: Disk; readonly isDead: () => boolean } {
    let count = 0;
    const killed = (): boolean => count > number;
    return {
      isDead: killed,
      disk: new Proxy(disk, {
        get: (target, name: keyof Disk) => {
          const its = target[name];
          if (typeof its !== "function") return its;
          return (...given: readonly unknown[]): unknown => {
            if (isChange(name)) count++;
            if (killed() && name !== "closeFile" && name !== "closeDir")
              throw Object.assign(new Error("killed"), { code: "EKILLED" });
            return Reflect.apply(its, target, given);
          };
        },
      }),
    };
  }

  function fillQuickly(): void {
    put(`ls\ncat "${folder}/a"\npwd\n`, ".bash_history");
    put(thumbnail(address("face.jpg")), "cache/thumbnails/large/face.png");
    put("words", "share/Trash/files/Old/deep.txt");
    put(`[Trash Info]\nPath=${encodeURI(folder)}/Old\n`, "share/Trash/info/Old.trashinfo");
    put("5 1 Old\n6 1 Other\n", "share/Trash/directorysizes");
  }

  /** Once for each change, from the same home; `work` is done by the disk that is killed before that change. */
  async function killedAtEach(
    work: (number: number, killed: Disk, before: Record<string, string>) => Promise<void>,
  ): Promise<void> {
    for (let [number, isOver] = [0, false]; !isOver; number++) {
      removeDirectory(base);
      fs.mkdirSync(folder, { recursive: true });
      fillQuickly();
      const killed = killedBefore(number);
      await work(number, killed.disk, contents());
      isOver = !killed.isDead();
    }
  }

  it("at any change, everything is where it was or can be put back there, and clearing again ends it", () =>
    killedAtEach(async (number, killed, before) => {
      await clear({}, killed).catch(() => undefined);
      const again = await clear();
      expect([again.left, await told()], `${number}`).toEqual([[], []]);
      for (const { id } of keptHere().reverse()) await putBack({ kept: id, ids: [], left: [] });
      expect(contents(), `${number}`).toEqual(before);
    }));

  it("while it puts back, nothing is lost, and putting back again ends it", () =>
    killedAtEach(async (number, killed, before) => {
      const cleared = await clear();
      await putBack(cleared, killed).catch(() => undefined);
      if (keptHere().length > 0) await putBack(cleared);
      expect(contents(), `${number}`).toEqual(before);
    }));

  /** What the home holds, by name, without what a kill left beside and Eremos' own. */
  function contents(): Record<string, string> {
    const names = fs.readdirSync(base, { recursive: true, encoding: "utf8" }).sort();
    return Object.fromEntries(
      names
        .filter((name) => !name.startsWith("data") && !name.endsWith(".eremos") && fs.statSync(at(name)).isFile())
        .map((name) => [name, fs.readFileSync(at(name), "latin1")]),
    );
  }
});
