import { type ChildProcess, spawn, spawnSync } from "node:child_process";
import * as fs from "node:fs";
import { createServer, get } from "node:http";
import type { AddressInfo } from "node:net";
import * as path from "node:path";
import { afterEach, beforeEach, expect, it, vi } from "vitest";
import { CLI, CommandLine, PASSWORD } from "./command-line";
import { RunningServer } from "./running-server";

let cli: CommandLine;
let units: string;
let said: string;
beforeEach(async () => {
  cli = new CommandLine();
  const home = path.join(cli.base, 'it\'s "50%" of $HOME');
  units = path.join(home, "config", "systemd", "user");
  said = path.join(cli.base, "said to the manager");
  const runtime = path.join(cli.base, "run");
  fs.mkdirSync(path.join(runtime, "systemd"), { recursive: true });
  fs.writeFileSync(path.join(runtime, "systemd", "private"), "");
  Object.assign(cli.env, {
    XDG_CONFIG_HOME: path.join(home, "config"),
    XDG_DATA_HOME: path.join(home, "share"),
    XDG_RUNTIME_DIR: runtime,
    PATH: `${path.join(cli.base, "bin")}:${process.env["PATH"] ?? ""}`,
  });
  delete cli.env["DBUS_SESSION_BUS_ADDRESS"];
  fs.mkdirSync(path.join(cli.base, "bin"));
  managerDoes(":");
  await cli.setUp();
});
afterEach(() => cli.remove());

/** A stand-in for the account's service manager, which writes down what it is told. */
function managerDoes(what: string): void {
  fs.writeFileSync(
    path.join(cli.base, "bin", "systemctl"),
    `#!/bin/sh\nprintf '%s\\n' "$*" >> '${said}'\ncase "$2" in start) ${what} ;; esac\n`,
    { mode: 0o755 },
  );
}
const told = (): string[] => (fs.existsSync(said) ? fs.readFileSync(said, "utf8").trim().split("\n") : []);
const unit = (name: string): string => fs.readFileSync(path.join(units, name), "utf8");

async function freePort(): Promise<number> {
  const server = createServer();
  await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
  const { port } = server.address() as AddressInfo;
  await new Promise((resolve) => server.close(resolve));
  return port;
}

it("the units that it writes are whole to the service manager, hold both addresses of the kept port, and are enabled", () => {
  expect(cli.json(["integrate"]).body).toMatchObject({ start: true });
  const verified = spawnSync(
    "systemd-analyze",
    ["--user", "verify", ...fs.readdirSync(units).map((one) => path.join(units, one))],
    {
      encoding: "utf8",
      env: { ...process.env, XDG_RUNTIME_DIR: path.join(cli.base, "run") },
    },
  );
  expect([verified.status, verified.stderr]).toEqual([0, ""]);
  const port = fs.readFileSync(path.join(cli.data, "port.json"), "utf8").trim();
  expect(unit("eremos.socket")).toContain(`ListenStream=127.0.0.1:${port}\nListenStream=[::1]:${port}\n`);
  expect(unit("eremos.service")).toMatch(/NoNewPrivileges=yes\nLimitCORE=0\n/);
  expect(fs.existsSync(path.join(units, "..", "..", "autostart", "eremos.desktop"))).toBe(false);
  expect(told()).toEqual([
    "--user daemon-reload",
    "--user enable eremos.socket eremos.service",
    "--user daemon-reload",
  ]);
  expect(cli.json(["integrate", "--remove"]).body).toMatchObject({ start: false });
  expect(fs.readdirSync(units)).toEqual([]);
  expect(told().slice(3)).toEqual(["--user disable eremos.socket eremos.service", "--user daemon-reload"]);
});

it("what starts it at log-in without a service manager makes room for the units, and the other way round", () => {
  const autostart = path.join(units, "..", "..", "autostart", "eremos.desktop");
  const { XDG_RUNTIME_DIR: runtime } = cli.env;
  delete cli.env["XDG_RUNTIME_DIR"];
  expect(cli.json(["integrate"]).body).toMatchObject({ start: true });
  expect([fs.existsSync(autostart), fs.existsSync(units)]).toEqual([true, false]);
  cli.env["XDG_RUNTIME_DIR"] = runtime;
  expect(cli.json(["integrate"]).body).toMatchObject({ start: true });
  expect([fs.existsSync(autostart), fs.readdirSync(units)]).toEqual([false, ["eremos.service", "eremos.socket"]]);
  delete cli.env["XDG_RUNTIME_DIR"];
  cli.json(["integrate", "--remove"]);
  expect([fs.existsSync(autostart), fs.readdirSync(units)]).toEqual([false, []]);
});

/** As the service manager would start it: at the first connection, with the sockets given. */
function givenSockets(...addresses: readonly string[]): ChildProcess {
  const listening = addresses.flatMap((address) => ["-l", address]);
  const environment = Object.entries(cli.env).flatMap(([name, value]) => ["-E", `${name}=${value ?? ""}`]);
  return spawn("systemd-socket-activate", [...listening, ...environment, process.execPath, CLI, "serve"], {
    stdio: ["ignore", "ignore", "pipe"],
  });
}

function heardFrom(program: ChildProcess, words: RegExp): Promise<string> {
  let heard = "";
  return new Promise((resolve, reject) => {
    program.stderr?.on("data", (part) => {
      heard += String(part);
      const [found] = words.exec(heard) ?? [];
      if (found) resolve(found);
    });
    program.once("exit", (status) => reject(new Error(`It ended with ${status}: ${heard}`)));
  });
}

const asks = (host: string, port: number): Promise<number> =>
  new Promise((resolve, reject) => {
    get({ host, port, path: "/", headers: { host: "localhost" } }, (response) => {
      response.resume();
      resolve(response.statusCode ?? 0);
    }).once("error", reject);
  });

it("takes the sockets that the service manager holds, on both addresses, and what asked before it ran is answered", async () => {
  const port = await freePort();
  const program = givenSockets(`127.0.0.1:${port}`, `[::1]:${port}`);
  await heardFrom(program, /Listening on \[::1\][^\n]+/);
  const first = asks("127.0.0.1", port);
  expect(await heardFrom(program, /Eremos is at \S+/)).toMatch(new RegExp(`:${port}$`));
  // Of another host than its own: answered, with no more than that.
  expect([await first, await asks("::1", port)]).toEqual([421, 421]);
  const ended = new Promise((resolve) => program.once("exit", resolve));
  program.kill("SIGTERM");
  expect(await ended).toBe(0);
});

it("serves nothing at sockets that other computers could reach", async () => {
  const port = await freePort();
  const program = givenSockets(`0.0.0.0:${port}`);
  await heardFrom(program, /Listening on 0\.0\.0\.0[^\n]+/);
  const asked = asks("127.0.0.1", port).catch(() => "no answer");
  await expect(heardFrom(program, /Eremos is at \S+/)).rejects.toThrow(/ended with 4: [^]*Nothing is served there/);
  expect(await asked).toBe("no answer");
});

it("the page lets the service manager start it, where that would start this very Eremos", async () => {
  fs.writeFileSync(path.join(cli.base, "bin", "xdg-open"), "#!/bin/sh\n", { mode: 0o755 });
  cli.json(["integrate"]);
  managerDoes(
    `setsid '${process.execPath}' '${CLI}' serve > /dev/null 2>&1 & echo $! > '${path.join(cli.base, "pid")}'`,
  );
  const { status } = cli.json(["page"]);
  expect([status, told().at(-1)]).toEqual([0, "--user start --no-block eremos.service"]);
  const started = Number(fs.readFileSync(path.join(cli.base, "pid"), "utf8"));
  process.kill(started, "SIGTERM");
  await expect.poll(() => fs.existsSync(path.join(cli.data, "server.json"))).toBe(false);
});

it("kept from new privileges and from leaving its memory behind, it locks, opens, mounts, reads traces and sees drives", async () => {
  const bus = spawn("dbus-daemon", ["--session", "--nofork", "--print-address"], {
    stdio: ["ignore", "pipe", "ignore"],
    env: cli.env,
  });
  const busAddress = await new Promise<string>((resolve) =>
    bus.stdout.once("data", (text) => resolve(String(text).trim())),
  );
  const folder = cli.makeFolder("Letters");
  const drive = path.join(cli.base, "drive");
  fs.mkdirSync(drive);
  const table = path.join(cli.base, "mounts");
  fs.writeFileSync(table, `/dev/sdz1 ${drive.replaceAll(" ", "\\040")} exfat rw 0 0\n`);
  const recent = path.join(cli.env["XDG_DATA_HOME"] ?? "", "recently-used.xbel");
  fs.mkdirSync(path.dirname(recent), { recursive: true });
  fs.writeFileSync(
    recent,
    `<?xml version="1.0"?><xbel version="1.0"><bookmark href="file://${folder}/letter.txt" added="2026-01-01T00:00:00Z" modified="2026-01-01T00:00:00Z" visited="2026-01-01T00:00:00Z"/></xbel>`,
  );
  const server = new RunningServer(
    cli,
    { DBUS_SESSION_BUS_ADDRESS: busAddress, EREMOS_MOUNTS: table, EREMOS_PLACES: `${cli.world}:${drive}` },
    ["setpriv", "--no-new-privs", "prlimit", "--core=0"],
  );
  const ended = async (): Promise<void> =>
    vi.waitFor(
      async () =>
        expect((await server.call("jobs")).body).toSatisfy((jobs: { state: string }[]) =>
          jobs.every(({ state }) => state === "done"),
        ),
      { timeout: 20_000 },
    );
  const one = async (): Promise<Record<string, unknown>> =>
    ((await server.call("folders")).body as unknown as Record<string, unknown>[])[0] ?? {};
  try {
    await server.start();
    const inside = fs.readFileSync(`/proc/${server.pid}/task/${server.pid}/children`, "utf8").trim().split(" ")[0];
    for (const pid of [server.pid, inside]) {
      expect(fs.readFileSync(`/proc/${pid}/status`, "utf8")).toMatch(/NoNewPrivs:\t1/);
      expect(fs.readFileSync(`/proc/${pid}/limits`, "utf8")).toMatch(/Max core file size +0 +0/);
    }
    await server.call("sign-in", { password: PASSWORD });
    const protection = { guard: "sealed", visibility: "view", cover: null, icon: null, bars: null };
    expect((await server.call("lock", { path: folder, protection })).status).toBe(200);
    await ended();
    const { id } = await one();
    expect((await server.call("traces", { folder: id })).body).toMatchObject({ traces: [{ kind: "recent" }] });
    expect((await server.call("visit/start", { folder: id, minutes: null, accept: [], secret: null })).status).toBe(
      200,
    );
    expect((await server.call("visit/mount", { folder: id })).status).toBe(200);
    expect(await one()).toMatchObject({ visit: { mount: "mounted" } });
    expect((await server.call("visit/end", { folder: id })).status).toBe(200);
    expect((await server.call("unlock", { folder: id })).status).toBe(200);
    await ended();
    expect(fs.readFileSync(path.join(folder, "letter.txt"), "utf8")).toContain("cello");
    fs.writeFileSync(path.join(drive, "on the drive.txt"), "on it");
    expect((await server.call("plan", { path: drive, visibility: "view", guard: "sealed" })).body).toMatchObject({
      kind: "drive",
    });
  } finally {
    await server.stop();
    bus.kill();
  }
});
