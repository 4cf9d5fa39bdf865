import { spawn, spawnSync } from "node:child_process";
import { createHash } from "node:crypto";
import * as fs from "node:fs";
import * as path from "node:path";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { fileAddress } from "../../src/engine/ground";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import type { Disk } from "../../src/platform/port";
import { bashEntries, fishEntries, shellWords, zshEntries } from "../../src/traces/kinds/shell";
import { type FoundTraces, countTraces, findTraces } from "../../src/traces";
import { xmlElements } from "../../src/traces/xml-elements";
import { putBelow, thumbnail, traceHome, xbel } from "./remembered";
import { newDirectory, removeDirectory, snapshot } from "../support/world";

let base: string;
let folder: string;
beforeEach(() => {
  base = newDirectory();
  folder = path.join(base, "Adoption papers");
  fs.mkdirSync(folder);
});
afterEach(() => removeDirectory(base));

const at = (...parts: string[]): string => path.join(base, ...parts);
const put = (content: string | Buffer, ...parts: string[]): string => putBelow(base, content, ...parts);
const find = (drives: readonly string[] = [], disk: Disk = linuxDisk): Promise<FoundTraces> =>
  findTraces(disk, { home: traceHome(base, drives), folder: Buffer.from(folder), inside: null });
/** What was found, without ids and the home's path. */
const told = ({ traces }: FoundTraces): string[] =>
  traces.map(
    ({ kind, where, what, gives }) => `${kind} ${gives} ${path.relative(base, String(where))}: ${String(what)}`,
  );

describe("what lies elsewhere and tells of a folder is found, and nothing of another one", () => {
  it("in the list of recent files, in whatever way its addresses are written, and in the entries of the other desktop", async () => {
    const inside = path.join(folder, "Éva's & others.txt");
    put(
      xbel([
        fileAddress(Buffer.from(inside)),
        `file://${inside.replaceAll(" ", "%20").replace("&", "&amp;")}`,
        fileAddress(Buffer.from(`${folder} of others/a.txt`)),
        "file:///elsewhere",
      ]),
      "share",
      "recently-used.xbel",
    );
    put(
      `[Desktop Entry]\nType=Link\nURL[$e]=file:$HOME/Adoption%20papers/b.odt\n`,
      "share/RecentDocuments/b.odt.desktop",
    );
    put(`[Desktop Entry]\nType=Link\nURL[$e]=file:$HOME/other/c.odt\n`, "share/RecentDocuments/c.odt.desktop");
    expect(told(await find())).toEqual([
      `recent name share/recently-used.xbel: ${inside}`,
      `recent name share/recently-used.xbel: ${inside}`,
      `recent name share/RecentDocuments/b.odt.desktop: ${path.join(folder, "b.odt")}`,
    ]);
  });

  it("by the drive of its visits, as an address or below where the desktop mounts it, wherever programs remember it", async () => {
    const name = "visit-00ff00ff00ff00ff";
    const address = (rest: string, of = name): string => `dav://${of}@127.0.0.1:41234/${rest}`;
    const mounted = `/run/user/1000/gvfs/dav:host=127.0.0.1,port=41234,ssl=false,user=${name}`;
    const other = address("a.txt", "visit-1111111111111111");
    put(
      xbel([address("2026/a%20b.txt"), `file://${mounted}/c.odt`, other, address("", `${name}0`)]),
      "share/recently-used.xbel",
    );
    put(`[Desktop Entry]\nType=Link\nURL[$e]=${address("b.odt")}\n`, "share/RecentDocuments/b.odt.desktop");
    put(thumbnail(address("face.jpg")), "cache/thumbnails/large/1.png");
    put(thumbnail(other), "cache/thumbnails/large/2.png");
    put(`${address("")} Papers\n${other}\n`, "config/gtk-3.0/bookmarks");
    put(
      `<oor:items>\n<item><value>${address("d.odt")}</value></item>\n</oor:items>\n`,
      "config/libreoffice/4/user/registrymodifications.xcu",
    );
    put("swap", "state/vim/swap", `${mounted}/e.txt.swp`.replaceAll("/", "%"));
    put(`> ${mounted}/e.txt\n\t*\t1\t0\n> /elsewhere\n`, ".viminfo");
    put(`ls\ngio cat ${address("f.txt")}\ngio cat ${other}\n`, ".bash_history");
    put("", "share/gvfs-metadata", `dav:host=127.0.0.1,port=41234,ssl=false,user=${name}`);
    put("", "share/gvfs-metadata", "dav:host=127.0.0.1,port=41234,ssl=false,user=visit-1111111111111111");
    put(`before ${name} behind`, "share/zeitgeist/activity.sqlite");
    const visited = [
      { name: "visit-1111111111111111", folder: Buffer.from(at("Payroll")) },
      { name, folder: Buffer.from(folder) },
    ];
    const found = await findTraces(linuxDisk, {
      home: { ...traceHome(base), visited },
      folder: Buffer.from(folder),
      inside: null,
    });
    expect(found.troubles).toEqual([]);
    expect(found.traces.every(({ isSure }) => isSure)).toBe(true);
    const inFolder = (below: string): string => path.join(folder, below);
    expect(found.traces.map(({ kind, what }) => `${kind} ${String(what).split("\n")[0] ?? ""}`).sort()).toEqual(
      [
        `bookmarks ${address("")} Papers`,
        `editors ${inFolder("e.txt")}`,
        `editors > ${mounted}/e.txt`,
        `indexes ${folder}`,
        `metadata dav:host=127.0.0.1,port=41234,ssl=false,user=${name}`,
        `office ${inFolder("d.odt")}`,
        `recent ${inFolder("2026/a b.txt")}`,
        `recent ${inFolder("b.odt")}`,
        `recent ${inFolder("c.odt")}`,
        `shell gio cat ${address("f.txt")}`,
        `thumbnails ${inFolder("face.jpg")}`,
      ].sort(),
    );
    expect((await find()).traces).toEqual([]);
  });

  it("of several folders at once, counted each for itself", async () => {
    const other = path.join(base, "Payroll");
    const addresses = [`${folder}/a.txt`, `${folder}/b.txt`, `${other}/c.txt`, "/elsewhere"];
    put(xbel(addresses.map((one) => fileAddress(Buffer.from(one)))), "share", "recently-used.xbel");
    put(`file://${other}\n`, "config", "gtk-3.0", "bookmarks");
    const folders = [other, path.join(base, "Nothing"), folder].map((one) => Buffer.from(one));
    expect(countTraces(linuxDisk, { home: traceHome(base), folders })).toEqual([2, 0, 2]);
    expect((await find()).traces).toHaveLength(2);
  });

  it("small pictures, by what stands in them, and notes that one could not be made", async () => {
    const address = fileAddress(Buffer.from(path.join(folder, "face.jpg")));
    const name = `${createHash("md5").update(address).digest("hex")}.png`;
    put(thumbnail(address), "cache/thumbnails/large", name);
    put(thumbnail(address), "cache/thumbnails/fail/a-program", "of another name.png");
    put(thumbnail("file:///elsewhere/face.jpg"), "cache/thumbnails/large/other.png");
    put("no picture", "cache/thumbnails/normal", name);
    expect(told(await find())).toEqual([
      `thumbnails picture cache/thumbnails/large/${name}: ${path.join(folder, "face.jpg")}`,
      `thumbnails name cache/thumbnails/fail/a-program/of another name.png: ${path.join(folder, "face.jpg")}`,
    ]);
  });

  it("in the trash, of the home as the desktop's own program puts it there, and of a drive", async () => {
    for (const name of ["draft #1 – é.txt", "other.txt"])
      put("words", name === "other.txt" ? "elsewhere" : "Adoption papers", name);
    for (const file of [path.join(folder, "draft #1 – é.txt"), at("elsewhere", "other.txt")]) {
      const { status, stderr } = spawnSync("gio", ["trash", file], {
        env: { ...process.env, HOME: base, XDG_DATA_HOME: at("share") },
        encoding: "utf8",
      });
      expect([status, stderr]).toEqual([0, ""]);
    }
    const drive = at("drive");
    folder = path.join(drive, "Papers");
    put("[Trash Info]\nPath=Papers/a%20b.txt\n", `drive/.Trash-${process.getuid?.() ?? 0}/info/a b.txt.trashinfo`);
    put("[Trash Info]\nPath=Papers/b.txt\n", `drive/.Trash-${process.getuid?.() ?? 0}/info/...trashinfo`);
    put("[Trash Info]\nPath=Papers2/a.txt\n", `drive/.Trash-${process.getuid?.() ?? 0}/info/a.txt.trashinfo`);
    expect(told(await find([drive]))).toEqual([
      `trash contents drive/.Trash-${process.getuid?.() ?? 0}/files/a b.txt: ${path.join(folder, "a b.txt")}`,
    ]);
    fs.renameSync(path.join(drive, `.Trash-${process.getuid?.() ?? 0}`), at("elsewhere", "trash"));
    fs.symlinkSync(at("elsewhere", "trash"), path.join(drive, `.Trash-${process.getuid?.() ?? 0}`));
    expect(told(await find([drive]))).toEqual([]);
    folder = at("Adoption papers");
    const { traces } = await find();
    expect(traces.map(({ where, what }) => [fs.readFileSync(where, "utf8"), String(what)])).toEqual([
      ["words", path.join(folder, "draft #1 – é.txt")],
    ]);
  });

  it("among the bookmarks of file managers", async () => {
    const address = fileAddress(Buffer.from(folder));
    put(`file:///elsewhere Elsewhere\n${address} Papers\n${address}%20of%20others\n`, "config/gtk-3.0/bookmarks");
    put(xbel([address, "trash:/"]), "share/user-places.xbel");
    expect(told(await find())).toEqual([
      `bookmarks name config/gtk-3.0/bookmarks: ${address} Papers\n`,
      `bookmarks name share/user-places.xbel: ${folder}`,
    ]);
  });

  it("in what was typed at a shell: by its path, from home, escaped, quoted, or by its name; several lines of one command together", async () => {
    const typed = [
      `cd ${folder.replaceAll(" ", "\\ ")}`,
      `ls "${folder}"`,
      "cat ~/Adoption\\ papers/a.txt",
      `for f in 1 2; do\n  rm "$HOME/Adoption papers/$f"\ndone`,
      'grep -r date "Adoption papers"',
      `backup --from=${folder.replaceAll(" ", "\\ ")}/2026`,
      "cd letters/Adoption\\ papers/x",
    ];
    const others = [
      "ls",
      `ls "${folder} of others"`,
      `ls "${folder}2"`,
      "ls ~/Adoption/papers",
      "echo Adoptionpapers",
      "ls '/elsewhere/Adoption papers'",
    ];
    const history = at(".bash_history");
    const shell = spawnSync("bash", ["--norc", "-i"], {
      env: { ...process.env, HOME: base, HISTFILE: history, HISTTIMEFORMAT: "%F ", HISTCONTROL: "", PS1: "" },
      input: `shopt -s cmdhist lithist\nset -o history\n${[...others, ...typed].map((line) => `history -s -- ${quoted(line)}`).join("\n")}\nhistory -w\nunset HISTFILE\n`,
    });
    expect(shell.status).toBe(0);
    const before = fs.readFileSync(history, "utf8");
    const found = (await find()).traces;
    for (const line of typed)
      expect(
        found.filter(({ what }) => /^#\d+\n/.test(String(what)) && String(what).replace(/^#\d+\n/, "") === `${line}\n`),
        line,
      ).toHaveLength(1);
    for (const line of others)
      expect(
        found.filter(({ what }) => String(what).includes(`\n${line}\n`)),
        line,
      ).toEqual([]);
    // What was found can be taken out of the file as it stands there.
    for (const { what } of found) expect(before.split(String(what)).length).toBeGreaterThan(1);
  });
});

it("in what editors keep of a file that is being edited, as the real one writes it, and in their lists", async () => {
  put("half a letter\n", "Adoption papers", "a b.txt");
  for (const directory of [".vim/swap", "state/nvim/undo"]) fs.mkdirSync(at(directory), { recursive: true });
  put("set nocompatible directory=~/.vim/swap//\n", ".vimrc");
  const edited = path.join(folder, "a b.txt");
  const encoded = edited.replaceAll("/", "%");
  put("undo", "state/nvim/undo", encoded);
  put("undo", "state/nvim/undo", `${folder} of others/a.txt`.replaceAll("/", "%"));
  put(`${edited} 3 1\n/elsewhere/a.txt 1 1\n`, "share/nano/filepos_history");
  put(
    `# of vim\n> ~/Adoption papers/a b.txt\n\t"\t1\t0\n'0  1  0  ~/other.txt\n|4,48,1,0,17,"~/Adoption papers/c.txt"\n`,
    ".viminfo",
  );
  const editor = spawn("vim.tiny", [edited], {
    env: { ...process.env, HOME: base, TERM: "xterm" },
    stdio: ["pipe", "ignore", "ignore"],
  });
  try {
    editor.stdin?.write("ox\x1b");
    const swap = at(".vim/swap", `${encoded}.swp`);
    await expect.poll(() => fs.existsSync(swap)).toBe(true);
    expect(told(await find()).sort()).toEqual([
      `editors contents .vim/swap/${encoded}.swp: ${edited}`,
      `editors contents state/nvim/undo/${encoded}: ${edited}`,
      `editors name .viminfo: > ~/Adoption papers/a b.txt\n\t"\t1\t0\n`,
      `editors name .viminfo: |4,48,1,0,17,"~/Adoption papers/c.txt"\n`,
      `editors name share/nano/filepos_history: ${edited} 3 1\n`,
    ]);
  } finally {
    editor.kill("SIGKILL");
  }
});

it("in the list of an office program's last documents", async () => {
  const item = (address: string): string =>
    `<item oor:path="/org.openoffice.Office.Histories/Histories/org.openoffice.Office.Histories:HistoryInfo['PickList']/ItemList"><node oor:name="${address}" oor:op="replace"><prop oor:name="Filter" oor:op="fuse"><value>writer8</value></prop></node></item>\n`;
  put(
    `<?xml version="1.0" encoding="UTF-8"?>\n<oor:items xmlns:oor="http://openoffice.org/2001/registry">\n${item(fileAddress(Buffer.from(path.join(folder, "é.odt"))))}${item("file:///elsewhere.odt")}</oor:items>\n`,
    "config/libreoffice/4/user/registrymodifications.xcu",
  );
  expect(told(await find())).toEqual([
    `office name config/libreoffice/4/user/registrymodifications.xcu: ${path.join(folder, "é.odt")}`,
  ]);
});

function quoted(line: string): string {
  return `'${line.replaceAll("'", "'\\''")}'`;
}

describe("what is kept by programs", () => {
  it("is read as the shell reads its words", async () => {
    const lines = ["a b\\ c 'd e'f", '"g \\"h\\" $i"j;k|l&&m>n', "o\\\\p 'unended q", "", "--dir='r s'"];
    for (const line of lines) {
      const asked = spawnSync(
        "bash",
        [
          "--norc",
          "-c",
          `for word in ${line.replace(/[;|&>]+/g, " ")}${line.includes("unended") ? "'" : ""}; do printf '%s\\n' "$word"; done`,
        ],
        { env: { ...process.env, i: "$i" }, encoding: "utf8" },
      );
      expect(shellWords(line), line).toEqual(asked.stdout.split("\n").slice(0, -1));
    }
  });

  it("is cut into entries without losing a byte", async () => {
    const texts = {
      bash: "#1700000000\nls\n#1700000001\nfor f in *; do\n  echo $f\ndone\n#1700000002\nunended",
      zsh: ": 1700000000:0;ls\n: 1700000001:0;echo a \\\\\\\n  b\nplain\\\\\nrest",
      fish: "- cmd: ls\n  when: 1700000000\n- cmd: echo a\\nb\n  when: 1700000001\n  paths:\n    - a\n",
    };
    for (const [entriesOf, text, count] of [
      [bashEntries, texts.bash, 3],
      [bashEntries, "ls\ncd\n", 2],
      [zshEntries, texts.zsh, 4],
      [fishEntries, texts.fish, 2],
    ] as const) {
      const entries = entriesOf(text);
      expect(entries.map(({ whole }) => whole).join("")).toBe(text);
      expect(entries).toHaveLength(count);
    }
  });

  it("is known as broken where it is no list, and every other kind is looked for all the same", async () => {
    for (const broken of ["<xbel><bookmark href='a'></xbel>", "no list", "<a b=c/>", "<a", "<a></a", "<!-- <a/>"])
      expect(xmlElements(broken), broken).toBeNull();
    put("<xbel><bookmark", "share/recently-used.xbel");
    put(`${fileAddress(Buffer.from(folder))}\n`, "config/gtk-3.0/bookmarks");
    const before = snapshot(base);
    const { traces, troubles } = await find();
    expect(traces.map(({ kind }) => kind)).toEqual(["bookmarks"]);
    expect(troubles.map(({ kind, where }) => [kind, path.relative(base, String(where))])).toEqual([
      ["recent", "share/recently-used.xbel"],
    ]);
    expect(snapshot(base)).toEqual(before);
  });

  it("and can't be read keeps no other kind from being looked for", async () => {
    put(thumbnail(fileAddress(Buffer.from(path.join(folder, "a.jpg")))), "cache/thumbnails/large/a.png");
    put(`${fileAddress(Buffer.from(folder))}\n`, "config/gtk-3.0/bookmarks");
    const failing: Disk = new Proxy(linuxDisk, {
      get: (target, name: keyof Disk) =>
        name === "list"
          ? () => {
              throw Object.assign(new Error("EIO"), { code: "EIO" });
            }
          : (target[name] as unknown),
    });
    const { traces, troubles } = await find([], failing);
    expect(traces.map(({ kind }) => kind)).toEqual(["bookmarks"]);
    expect(troubles.map(({ kind }) => kind)).toEqual(["thumbnails"]);
  });

  it("has the same names each time it is found", async () => {
    put(`ls "${folder}"\nls "${folder}"\n`, ".bash_history");
    const [first, again] = [(await find()).traces, (await find()).traces];
    expect(new Set(first.map(({ id }) => id)).size).toBe(2);
    expect(again.map(({ id }) => id)).toEqual(first.map(({ id }) => id));
  });
});
