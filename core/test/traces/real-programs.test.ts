import { spawn, spawnSync } from "node:child_process";
import * as fs from "node:fs";
import * as path from "node:path";
import { PNG } from "pngjs";
import { afterAll, beforeAll, describe, expect, it, vi } from "vitest";
import { fileAddress, silentHooks } from "../../src/engine/ground";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import { clearTraces, findTraces } from "../../src/traces";
import { traceHome } from "./remembered";
import { newDirectory, removeDirectory } from "../support/world";

/** A home in which real programs worked with a folder and with something else. */
const base = fs.realpathSync(newDirectory());
const at = (...parts: string[]): string => path.join(base, ...parts);
const folder = at("Adoption papers");
const file = path.join(folder, "é letter.txt");
const other = at("other", "notes.txt");
const env = {
  ...process.env,
  HOME: base,
  ZDOTDIR: base,
  TERM: "xterm",
  XDG_DATA_HOME: at("share"),
  XDG_CONFIG_HOME: at("config"),
  XDG_CACHE_HOME: at("cache"),
  XDG_STATE_HOME: at("state"),
};
const PROMPT = "ready>";
const SETTLE_MS = 250;
const TRIES = 3;

/** A program at a terminal: each text is typed when what it waits for has appeared since the last one. */
async function atTerminal(
  command: string,
  steps: readonly (readonly [waitFor: string, type: string])[],
): Promise<void> {
  const terminal = spawn("script", ["-qc", command, "/dev/null"], { env, stdio: ["pipe", "pipe", "ignore"] });
  let shown = "";
  terminal.stdout.setEncoding("utf8").on("data", (text: string) => (shown += text));
  const ended = new Promise((resolve) => terminal.once("exit", resolve));
  try {
    for (const [waitFor, type] of steps) {
      await vi.waitFor(() => expect(shown, `${command}: ${waitFor}`).toContain(waitFor), {
        timeout: 20_000,
        interval: 50,
      });
      // What is typed before a program reads it can be thrown away with the first look at the terminal.
      await new Promise((resolve) => setTimeout(resolve, SETTLE_MS));
      shown = "";
      terminal.stdin.write(type);
    }
    await ended;
  } finally {
    terminal.kill("SIGKILL");
  }
}

/** The same by a program that writes a list: where something typed was lost, it begins anew. */
async function writing(list: string | null, command: string, steps: Parameters<typeof atTerminal>[1]): Promise<void> {
  for (let attempt = 1; ; attempt++) {
    if (list !== null) fs.rmSync(list, { force: true });
    try {
      await atTerminal(command, steps);
      return;
    } catch (error) {
      if (attempt === TRIES) throw error;
    }
  }
}

function python(program: string, ...words: string[]): string {
  const { status, stdout, stderr } = spawnSync("/usr/bin/python3", ["-c", program, ...words], {
    env,
    encoding: "utf8",
  });
  expect(status, stderr).toBe(0);
  return stdout;
}

const REMEMBER = `
import sys, gi
gi.require_version("Gtk", "3.0")
from gi.repository import Gtk, GLib
manager = Gtk.RecentManager(filename=sys.argv[1])
for address in sys.argv[2:]:
    data = Gtk.RecentData()
    data.mime_type, data.app_name, data.app_exec = "text/plain", "a program", "program %u"
    manager.add_full(address, data)
loop = GLib.MainLoop()
manager.connect("changed", lambda _: loop.quit())
loop.run()
GLib.timeout_add(600, loop.quit)
loop.run()
`;
const RECALL = `
import sys, gi
gi.require_version("Gtk", "3.0")
from gi.repository import Gtk
for item in Gtk.RecentManager(filename=sys.argv[1]).get_items():
    print(item.get_uri(), item.get_applications())
`;
const THUMBNAILER = "org.freedesktop.thumbnails.Thumbnailer1";

const lists = {
  recent: at("share", "recently-used.xbel"),
  bash: at(".bash_history"),
  zsh: at(".zsh_history"),
  fish: at("share", "fish", "fish_history"),
  nano: at("share", "nano", "filepos_history"),
};
const pictures = at("cache", "thumbnails", "normal");

async function work(): Promise<void> {
  for (const one of [file, other]) {
    fs.mkdirSync(path.dirname(one), { recursive: true });
    fs.writeFileSync(one, "one\ntwo\nthree\n");
    fs.writeFileSync(path.join(path.dirname(one), "face.png"), PNG.sync.write(new PNG({ width: 300, height: 300 })));
  }
  for (const directory of ["share", "config/fish", "cache", "state"]) fs.mkdirSync(at(directory), { recursive: true });
  python(REMEMBER, lists.recent, ...[other, file].map((one) => fileAddress(Buffer.from(one))));
  const faces = [file, other].map((one) => fileAddress(Buffer.from(path.join(path.dirname(one), "face.png"))));
  const asked = `gdbus call --session --dest ${THUMBNAILER} --object-path /${THUMBNAILER.replaceAll(".", "/")} --method ${THUMBNAILER}.Queue '["${faces.join('","')}"]' '["image/png","image/png"]' normal default 'uint32 0'`;
  const wait = `for i in $(seq 100); do [ "$(ls '${pictures}' 2>/dev/null | wc -l)" = 2 ] && break; sleep 0.2; done`;
  spawnSync("dbus-run-session", ["--", "sh", "-c", `${asked}; ${wait}`], { env, stdio: "ignore" });
  for (const one of [file, other])
    await writing(null, `nano -P '${one}'`, [
      ["^X", "\u001b[B"],
      ["\u001b", "\u0018"],
    ]);
  const typed = (prompt: string): [string, string][] =>
    [`true other`, `true "${file}"`, `true '${folder}' again`, `true the rest`, "exit"].map((line) => [
      prompt,
      `${line}\n`,
    ]);
  fs.writeFileSync(
    at(".zshrc"),
    `HISTFILE=${lists.zsh}\nSAVEHIST=100\nHISTSIZE=100\nsetopt extendedhistory incappendhistory\nPS1='${PROMPT} '\n`,
  );
  await writing(lists.zsh, "zsh -i", typed(PROMPT));
  fs.writeFileSync(
    at("config/fish/config.fish"),
    `function fish_prompt; echo '${PROMPT} '; end\nset -g fish_greeting\n`,
  );
  await writing(lists.fish, "fish -i", typed(PROMPT));
  fs.writeFileSync(at(".bashrc"), `PS1='${PROMPT} '\nHISTTIMEFORMAT='%F '\nHISTFILE=${lists.bash}\n`);
  await writing(lists.bash, "bash -i", typed(PROMPT));
}

describe("what real programs remember of a folder", () => {
  const before = new Map<string, string>();
  beforeAll(async () => {
    await work();
    for (const list of Object.values(lists)) before.set(list, fs.readFileSync(list, "utf8"));
  });
  afterAll(() => removeDirectory(base));

  it("is cleared to the byte: what is left is what was there, without the lines and entries of the folder, and they read it", async () => {
    const looking = { home: traceHome(base), folder: Buffer.from(folder), inside: null };
    const { traces } = await findTraces(linuxDisk, looking);
    const counts = new Map<string, number>();
    for (const { where } of traces) counts.set(String(where), (counts.get(String(where)) ?? 0) + 1);
    expect(Object.fromEntries(Object.entries(lists).map(([name, list]) => [name, counts.get(list)]))).toEqual({
      recent: 1,
      bash: 2,
      zsh: 2,
      fish: 2,
      nano: 1,
    });
    expect(traces.filter(({ kind }) => kind === "thumbnails")).toHaveLength(1);
    const { left } = await clearTraces(
      linuxDisk,
      { ...looking, ids: null, kinds: null, onlySure: true, keep: null },
      silentHooks,
    );
    expect(left).toEqual([]);
    for (const list of Object.values(lists)) {
      const now = fs.readFileSync(list, "utf8");
      expect(now, list).not.toContain("Adoption");
      expect(isCutFrom(now, before.get(list) ?? ""), list).toBe(true);
      expect(now, list).toMatch(/other/);
    }
    expect(fs.readdirSync(pictures)).toHaveLength(1);
    expect(python(RECALL, lists.recent)).toBe(`${fileAddress(Buffer.from(other))} ['a program']\n`);
  });

  it("and is what they read then: everything else, in its order", () => {
    const read = (program: string, ...words: string[]): string => {
      const { status, stdout } = spawnSync(program, words, { env, encoding: "utf8" });
      expect(status).toBe(0);
      return stdout;
    };
    const left = ["true other", "true the rest", "exit"];
    const known = (text: string): string[] =>
      text.split("\n").flatMap((line) => left.filter((one) => line.endsWith(one)));
    expect(known(read("zsh", "-fc", `HISTSIZE=100; fc -R '${lists.zsh}'; fc -l 1`))).toEqual(left);
    expect(known(read("fish", "-c", "history")).reverse()).toEqual(left);
    expect(
      known(
        read(
          "bash",
          "--norc",
          "-c",
          `HISTFILE='${lists.bash}' HISTTIMEFORMAT='%F '; set -o history; history -c; history -r; history`,
        ),
      ),
    ).toEqual(left);
  });
});

/** Whether a text is what is left of another one of whose lines some were cut out. */
function isCutFrom(text: string, whole: string): boolean {
  const rest = whole.split("\n");
  return text.split("\n").every((line) => {
    const found = rest.indexOf(line);
    if (found >= 0) rest.splice(0, found + 1);
    return found >= 0;
  });
}
