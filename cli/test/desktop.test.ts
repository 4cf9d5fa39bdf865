import { type ChildProcess, spawn, spawnSync } from "node:child_process";
import * as fs from "node:fs";
import * as http from "node:http";
import * as path from "node:path";
import { createInterface } from "node:readline";
import { fileURLToPath, pathToFileURL } from "node:url";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { ask } from "./ask";
import { CLI, CommandLine } from "./command-line";

let cli: CommandLine;
let dataHome: string;
let configHome: string;
beforeEach(async () => {
  cli = new CommandLine();
  dataHome = path.join(cli.base, "it's a home", "share");
  configHome = path.join(cli.base, "it's a home", "config");
  Object.assign(cli.env, { XDG_DATA_HOME: dataHome, XDG_CONFIG_HOME: configHome });
  await cli.setUp();
});
afterEach(() => cli.remove());

it("what is added to the desktop locks for real, and is taken away without a trace of others' files", () => {
  const folder = cli.makeFolder('It\'s $HOME & "more"');
  const scripts = path.join(dataHome, "nautilus", "scripts");
  fs.mkdirSync(scripts, { recursive: true });
  fs.writeFileSync(path.join(scripts, "Another script"), "#!/bin/sh\n");
  expect(cli.json(["integrate"]).body).toEqual({ applications: true, start: true, menu: true, marks: true });
  const { EREMOS_DATA: _data, EREMOS_PLACES: _places, ...elsewhere } = cli.env;
  const { status, stdout } = spawnSync(path.join(scripts, "Eremos", "Lock and hide"), {
    env: { ...elsewhere, NAUTILUS_SCRIPT_SELECTED_URIS: `${pathToFileURL(folder).href}\n` },
    encoding: "utf8",
  });
  expect([status, stdout]).toEqual([0, expect.stringContaining("is sealed")]);
  // The default is the page's: hidden in place.
  expect(fs.existsSync(folder)).toBe(false);

  const entries = [
    path.join(dataHome, "applications", "localhost.eremos.Eremos.desktop"),
    path.join(dataHome, "kio", "servicemenus", "eremos.desktop"),
    path.join(configHome, "autostart", "eremos.desktop"),
  ];
  for (const entry of entries)
    expect(fs.readFileSync(entry, "utf8")).toMatch(
      /^\[Desktop Entry\]\n[^]*^Exec="env" "EREMOS_DATA=[^\n]+eremos\.mjs" (page|serve|menu lock %U)$/m,
    );

  expect(cli.json(["integrate", "--remove"]).body).toEqual({
    applications: false,
    start: false,
    menu: false,
    marks: false,
  });
  expect(fs.readdirSync(scripts)).toEqual(["Another script"]);
  for (const entry of [
    ...entries,
    path.join(dataHome, "dbus-1", "services", "localhost.eremos.Eremos.service"),
    path.join(dataHome, "mime", "packages", "eremos.xml"),
  ])
    expect(fs.existsSync(entry), entry).toBe(false);
  expect(fs.readFileSync(path.join(dataHome, "applications", "mimeinfo.cache"), "utf8")).not.toContain("eremos");
});

it("names that hold a line break, or look like options or addresses, reach the command as what they are, and not by its words", () => {
  const innocent = cli.makeFolder("Innocent");
  const names = [`x\n${innocent}`, "--help", "file:", " ", "%41", "a'$(touch ran)`touch ran`\"b"];
  const scripts = path.join(dataHome, "nautilus", "scripts");
  fs.mkdirSync(scripts, { recursive: true });
  expect(cli.json(["integrate"]).status).toBe(0);
  const script = path.join(scripts, "Eremos", "Lock and hide");
  for (const name of names) {
    const folder = path.join(cli.world, name);
    fs.mkdirSync(folder, { recursive: true });
    fs.writeFileSync(path.join(folder, "letter.txt"), "letter");
    spawnSync(script, [name], {
      env: {
        ...cli.env,
        NAUTILUS_SCRIPT_SELECTED_URIS: `${pathToFileURL(folder).href}\n`,
        NAUTILUS_SCRIPT_SELECTED_FILE_PATHS: `${folder}\n`,
      },
      cwd: cli.world,
      encoding: "utf8",
    });
    expect(fs.existsSync(folder), JSON.stringify(name)).toBe(false);
  }
  spawnSync(script, [], {
    env: { ...cli.env, NAUTILUS_SCRIPT_SELECTED_URIS: `${innocent}\n--help\nfile://elsewhere${innocent}\n` },
    cwd: cli.world,
  });
  expect(fs.existsSync(path.join(innocent, ".eremos"))).toBe(false);
  expect(fs.existsSync(path.join(cli.world, "ran"))).toBe(false);
  expect(fs.readFileSync(script, "utf8")).toMatch(/ menu lock -$/m);
});

it("several that are selected are locked by one command, with one quiet notice at the end, in which a name is no markup", async () => {
  const folders = [cli.makeFolder("Payroll"), cli.makeFolder("<b>Photos & more")];
  const file = path.join(cli.world, "a letter.txt");
  fs.writeFileSync(file, "letter");
  const { heard, end } = await beginDesktop();
  expect(cli.json(["integrate"]).status).toBe(0);
  const selected = [...folders, file, path.join(cli.world, "nothing there")].map((one) => pathToFileURL(one).href);
  try {
    const { stdout } = spawnSync(path.join(dataHome, "nautilus", "scripts", "Eremos", "Lock and hide"), {
      env: { ...cli.env, NAUTILUS_SCRIPT_SELECTED_URIS: `${selected.join("\n")}\n` },
      encoding: "utf8",
    });
    for (const one of [...folders, file]) expect(fs.existsSync(one), one).toBe(false);
    await expect.poll(heard).toHaveLength(1);
    const [{ summary, body, urgency, transient } = expect.fail()] = heard();
    expect([summary, urgency, transient, stdout]).toEqual(["Eremos", 0, true, ""]);
    expect(body).toMatch(/Payroll[^]*&lt;b&gt;Photos &amp; more[^]*a letter\.txt[^]*nothing there/);
  } finally {
    end();
  }
});

it("a file of somebody else in the way is not touched", () => {
  const theirs = path.join(configHome, "autostart", "eremos.desktop");
  fs.mkdirSync(path.dirname(theirs), { recursive: true });
  fs.writeFileSync(theirs, "[Desktop Entry]\nName=Theirs\n");
  const { status, stderr } = cli.run(["integrate"]);
  expect([status, stderr]).toEqual([4, expect.stringContaining("not by Eremos")]);
  expect(cli.run(["integrate", "--remove"]).status).toBe(0);
  expect(fs.readFileSync(theirs, "utf8")).toBe("[Desktop Entry]\nName=Theirs\n");
});

interface ShownNotice {
  readonly summary: string;
  readonly body: string;
  readonly urgency: number;
  readonly transient: boolean;
}

/** A bus, and on it a stand-in that shows notices. */
async function beginDesktop(): Promise<{ readonly heard: () => readonly ShownNotice[]; readonly end: () => void }> {
  const bus = spawn("dbus-daemon", ["--session", "--nofork", "--print-address"], {
    stdio: ["ignore", "pipe", "ignore"],
  });
  const address = await new Promise<string>((resolve) =>
    bus.stdout.once("data", (text) => resolve(String(text).trim())),
  );
  const host = spawn(
    "node",
    [fileURLToPath(new URL("../../server/test/parts/desktop-host.mjs", import.meta.url)), address],
    {
      stdio: ["pipe", "pipe", "inherit"],
    },
  );
  const lines: string[] = [];
  await new Promise<void>((resolve) =>
    createInterface({ input: host.stdout }).on("line", (line) =>
      line.includes("ready") ? resolve() : lines.push(line),
    ),
  );
  cli.env["DBUS_SESSION_BUS_ADDRESS"] = address;
  return {
    heard: () => lines.map((line) => JSON.parse(line) as ShownNotice),
    end: () => [host, bus].forEach((program) => program.kill()),
  };
}

/** Runs the program while this process goes on answering. */
function run(...args: readonly string[]): Promise<{ status: number | null; out: string; err: string }> {
  const program = spawn("node", [CLI, ...args], { cwd: cli.world, env: cli.env });
  const said = { out: "", err: "" };
  program.stdout.on("data", (part) => (said.out += String(part)));
  program.stderr.on("data", (part) => (said.err += String(part)));
  return new Promise((resolve) => program.once("close", (status) => resolve({ status, ...said })));
}

function serve(): Promise<{ program: ChildProcess; address: string }> {
  const program = spawn("node", [CLI, "serve"], {
    env: { ...cli.env, EREMOS_PORT: "0" },
    stdio: ["ignore", "ignore", "pipe"],
  });
  return new Promise((resolve, reject) => {
    program.once("exit", () => reject(new Error("the server ended")));
    program.stderr.on("data", (part) => {
      const address = /Eremos is at (http:\S+)/.exec(String(part))?.[1];
      if (address) resolve({ program, address });
    });
  });
}

/** A program in place of the browser's opener, which writes down what it is asked to show. */
function watchBrowser(): string {
  const shown = path.join(cli.base, "shown");
  const bin = path.join(cli.base, "bin");
  fs.mkdirSync(bin);
  fs.writeFileSync(path.join(bin, "xdg-open"), `#!/bin/sh\nprintf '%s' "$1" > '${shown}'\n`, { mode: 0o755 });
  cli.env["PATH"] = `${bin}:${process.env["PATH"] ?? ""}`;
  return shown;
}

describe("on a screen, what the browser of its owner can do is asked of the desktop", () => {
  const showing = async (id: string): Promise<string> => {
    const shown = watchBrowser();
    const bin = path.join(cli.base, "bin");
    const program = path.join(bin, id);
    fs.writeFileSync(program, `#!/bin/sh\nprintf '%s' "$*" > '${shown}'\n`, { mode: 0o755 });
    fs.writeFileSync(path.join(bin, "xdg-settings"), `#!/bin/sh\necho ${id}.desktop\n`, { mode: 0o755 });
    const entry = path.join(dataHome, "applications", `${id}.desktop`);
    fs.mkdirSync(path.dirname(entry), { recursive: true });
    fs.writeFileSync(entry, `[Desktop Entry]\nName=A browser\nExec="${program}" %U\n`);
    cli.env["DISPLAY"] = ":4711";
    const server = await serve();
    try {
      expect((await run("page")).status).toBe(0);
      await expect.poll(() => fs.existsSync(shown) && fs.readFileSync(shown, "utf8")).not.toBe(false);
      return fs.readFileSync(shown, "utf8");
    } finally {
      const ended = new Promise((resolve) => server.program.once("close", resolve));
      server.program.kill("SIGTERM");
      await ended;
    }
  };

  it("one that has windows of their own gets the file that leads in, and no address", async () => {
    const file = pathToFileURL(path.join(cli.data, "open.html")).href;
    expect(await showing("some-chromium")).toBe(`--app=${file}`);
  });

  it("any other shows it as the desktop does", async () => {
    expect(await showing("another-browser")).toBe(path.join(cli.data, "open.html"));
  });
});

/** Processes that were started with this house's data directory. */
function processesHere(): number[] {
  return fs
    .readdirSync("/proc")
    .filter((name) => /^\d+$/.test(name))
    .filter((pid) => {
      try {
        return fs.readFileSync(`/proc/${pid}/environ`, "utf8").split("\0").includes(`EREMOS_DATA=${cli.data}`);
      } catch {
        return false;
      }
    })
    .map(Number);
}

it("the page starts Eremos where it does not run", async () => {
  const shown = watchBrowser();
  cli.env["EREMOS_PORT"] = "0";
  const { status, out } = await run("page", "--json");
  expect(status).toBe(0);
  const { address } = JSON.parse(out) as { address: string };
  try {
    const file = path.join(cli.data, "open.html");
    await expect.poll(() => fs.existsSync(shown) && fs.readFileSync(shown, "utf8")).toBe(file);
    expect([fs.statSync(file).mode & 0o777, fs.readFileSync(file, "utf8")]).toEqual([
      0o600,
      expect.stringContaining(`url=${address}"`),
    ]);
    expect((await ask(address, "/", { method: "GET" })).status).toBe(200);
  } finally {
    for (const pid of processesHere()) process.kill(pid, "SIGTERM");
    await expect.poll(processesHere).toEqual([]);
  }
});

describe("what the desktop opens by its bus", () => {
  let bus: ChildProcess;
  let shown: string;
  let server: Awaited<ReturnType<typeof serve>>;
  let folder: string;
  let id: string;
  beforeEach(async () => {
    folder = cli.makeFolder("Payroll 2026");
    expect(cli.json(["integrate"]).status).toBe(0);
    ({ id } = cli.json<{ id: string }>(["lock", folder, "--view"]).body);
    shown = watchBrowser();
    fs.mkdirSync(path.join(cli.base, "run"), { mode: 0o700 });
    cli.env["XDG_RUNTIME_DIR"] = path.join(cli.base, "run");
    bus = spawn("dbus-daemon", ["--session", "--nofork", "--print-address=3"], {
      env: cli.env,
      stdio: ["ignore", "ignore", "ignore", "pipe"],
    });
    cli.env["DBUS_SESSION_BUS_ADDRESS"] = await new Promise((resolve) =>
      bus.stdio[3]?.once("data", (line) => resolve(String(line).trim())),
    );
    server = await serve();
  });
  afterEach(async () => {
    for (const program of [server.program, bus]) {
      const ended = new Promise((resolve) => program.once("close", resolve));
      program.kill("SIGTERM");
      await ended;
    }
    await expect.poll(processesHere, { timeout: 15_000 }).toEqual([]);
  });

  /** The address that the browser was last led to. */
  const ledTo = (): string | null => {
    if (!fs.existsSync(shown)) return null;
    fs.rmSync(shown);
    return /url=([^"]+)"/.exec(fs.readFileSync(path.join(cli.data, "open.html"), "utf8"))?.[1] ?? null;
  };
  const open = (...addresses: string[]): number | null =>
    spawnSync(
      "gdbus",
      ["call", "--session", "--dest", "localhost.eremos.Eremos", "--object-path", "/localhost/eremos/Eremos"].concat([
        "--method",
        "org.freedesktop.Application.Open",
        JSON.stringify(addresses),
        "{}",
      ]),
      { env: cli.env },
    ).status;

  it("an item shows the folder it lies in, and no name of it is a word of a command line", () => {
    const item = path.join(folder, "Open with Eremos");
    const type = spawnSync("gio", ["info", "-a", "standard::content-type", item], { env: cli.env, encoding: "utf8" });
    expect(type.stdout).toContain("application/vnd.eremos.item");
    const opened = spawnSync("gio", ["open", item], { env: cli.env });
    expect(opened.status).toBe(0);
    return expect.poll(ledTo).toBe(`${server.address}/folders/${id}?from=desktop`);
  });

  it("by the menu, too, the page leads back to the desktop", async () => {
    const menu = path.join(dataHome, "nautilus", "scripts", "Eremos", "Open…");
    spawnSync(menu, { env: { ...cli.env, NAUTILUS_SCRIPT_SELECTED_URIS: `${pathToFileURL(folder).href}\n` } });
    await expect.poll(ledTo).toBe(`${server.address}/folders/${id}?from=desktop`);
  });

  it("what is chosen to be overwritten is asked about by the page: kept for it alone, and no part of the address", async () => {
    const menu = path.join(dataHome, "nautilus", "scripts", "Eremos", "Overwrite and remove…");
    const old = cli.makeFolder("Old letters");
    const item = path.join(folder, "Open with Eremos");
    const selected = [old, item].map((one) => pathToFileURL(one).href).join("\n");
    expect(spawnSync(menu, { env: { ...cli.env, NAUTILUS_SCRIPT_SELECTED_URIS: `${selected}\n` } }).status).toBe(0);
    await expect.poll(ledTo).toBe(`${server.address}/?asked=overwrite`);
    expect(fs.existsSync(path.join(old, "letter.txt"))).toBe(true);
    const asked = path.join(cli.env["EREMOS_DATA"] ?? "", "asked.json");
    expect(JSON.parse(fs.readFileSync(asked, "utf8"))).toEqual({
      asked: { act: "overwrite", paths: [old, folder] },
      at: expect.any(Number) as number,
    });
    expect(fs.statSync(asked).mode & 0o777).toBe(0o600);
  });

  it("its processes have no name among their words", async () => {
    expect(open(pathToFileURL(path.join(folder, "Open with Eremos")).href)).toBe(0);
    const words = processesHere().map((pid) => fs.readFileSync(`/proc/${pid}/cmdline`, "utf8"));
    expect(words.some((line) => line.includes("desktop"))).toBe(true);
    expect(words.filter((line) => line.includes("Payroll"))).toEqual([]);
    await expect.poll(ledTo).toContain(id);
  });

  it("what is no folder of Eremos', is on another computer or no address leads nowhere but to Eremos; nothing opens by itself", () => {
    const forged = cli.makeFolder("Forged");
    fs.writeFileSync(path.join(forged, "Open with Eremos"), "Eremos item 1\n");
    expect(open(pathToFileURL(path.join(forged, "Open with Eremos")).href)).toBe(0);
    expect(ledTo()).toBe(server.address);
    expect(open(`file://elsewhere${folder}/Open%20with%20Eremos`, "eremos:unlock", "../..")).toBe(0);
    expect(ledTo()).toBeNull();
    expect(fs.readdirSync(folder)).toContain("Open with Eremos");
  });
});

it("the page opens at a locked folder, and only where the server is the owner's own", async () => {
  const folder = cli.makeFolder("Payroll");
  const { id } = cli.json<{ id: string }>(["lock", folder, "--view"]).body;
  const shown = watchBrowser();
  const record = path.join(cli.data, "server.json");

  const impostor = http.createServer((_request, response) =>
    response.setHeader("content-type", "application/json").end(JSON.stringify({ proof: "0".repeat(64) })),
  );
  await new Promise<void>((resolve) => impostor.listen(0, "127.0.0.1", () => resolve()));
  const address = impostor.address();
  fs.writeFileSync(
    record,
    JSON.stringify({
      port: typeof address === "object" ? address?.port : 0,
      host: "eremos-1.localhost:1",
      secret: "f".repeat(64),
    }),
  );
  const refused = await run("page", folder);
  expect([refused.status, refused.err]).toEqual([4, expect.stringContaining("Don't type your password there")]);
  expect(fs.existsSync(shown)).toBe(false);
  await new Promise((resolve) => impostor.close(resolve));

  const server = await serve();
  const wanted = `${server.address}/folders/${id}`;
  try {
    expect(JSON.parse((await run("page", folder, "--json")).out)).toEqual({ address: wanted, shown: true });
    await expect
      .poll(() => fs.existsSync(shown) && fs.readFileSync(path.join(cli.data, "open.html"), "utf8"))
      .toContain(`url=${wanted}"`);
    expect(fs.statSync(record).mode & 0o777).toBe(0o600);
  } finally {
    const ended = new Promise((resolve) => server.program.once("close", resolve));
    server.program.kill("SIGTERM");
    await ended;
  }
  expect(fs.existsSync(record)).toBe(false);
});

it("a server whose data directory is gone still ends when it is asked to", async () => {
  const { program } = await serve();
  fs.rmSync(cli.data, { recursive: true });
  const ended = new Promise((resolve) => program.once("close", resolve));
  program.kill("SIGTERM");
  expect(await ended).toBe(6);
});
