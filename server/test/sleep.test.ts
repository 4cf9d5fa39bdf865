import { type ChildProcess, spawn } from "node:child_process";
import * as fs from "node:fs";
import * as os from "node:os";
import * as path from "node:path";
import { fileURLToPath } from "node:url";
import { afterEach, beforeEach, expect, it, vi } from "vitest";
import { lock, lockAgain } from "../src/operations/locking/lock-folder";
import { unlock } from "../src/operations/locking/open-folder";
import { setRules } from "../src/operations/folders/preferences";
import { listFolders } from "../src/operations/folders/list-folders";
import { Sessions } from "../src/session/sessions";
import { whenAway } from "../src/http/watches";
import { Keeper } from "../src/watch/keeper";
import { watchSleep } from "../src/watch/sleep-watch";
import { STANDARD_RULES } from "../src/locking-rules";
import { TestHouse, sealedAnd } from "./house";

const WAIT = { timeout: 30_000, interval: 100 };

let house: TestHouse;
let directory: string;
let programs: ChildProcess[];
let stop: () => void;
let sessions: Sessions;
let say: (line: string) => void;

function said(program: ChildProcess): Promise<string> {
  return new Promise((resolve, reject) => {
    program.stdout?.once("data", (part) => resolve(String(part).trim()));
    program.once("error", reject);
  });
}

/** A bus of its own for the test: nothing of the computer's is spoken to. */
beforeEach(async () => {
  house = await TestHouse.make();
  await house.signIn();
  directory = fs.mkdtempSync(path.join(os.tmpdir(), "eremos-bus-"));
  const config = path.join(directory, "bus.conf");
  fs.writeFileSync(
    config,
    `<busconfig><type>session</type><listen>unix:path=${directory}/bus</listen><auth>EXTERNAL</auth><policy context="default"><allow send_destination="*"/><allow eavesdrop="false"/><allow own="*"/></policy></busconfig>`,
  );
  const daemon = spawn("dbus-daemon", ["--config-file", config, "--nofork", "--print-address"], {
    stdio: ["ignore", "pipe", "ignore"],
  });
  programs = [daemon];
  await said(daemon);
  const busAddress = `unix:path=${directory}/bus`;
  const manager = spawn(
    "node",
    [fileURLToPath(new URL("log-in-manager.mjs", import.meta.url)), busAddress, String(process.getuid?.())],
    { stdio: ["pipe", "pipe", "inherit"] },
  );
  programs.push(manager);
  expect(await said(manager)).toBe("ready");
  say = (line) => void manager.stdin?.write(`${line}\n`);
  vi.stubEnv("DBUS_SYSTEM_BUS_ADDRESS", busAddress);
  sessions = new Sessions();
  stop = watchSleep(
    whenAway(house.eremos, sessions, new Keeper(house.eremos, (path) => lockAgain(house.eremos, path))),
  );
  for (const name of ["Payroll", "Photos"]) {
    await lock(house.eremos, {
      path: house.makeFolder(name),
      protection: sealedAnd("view"),
      inUseAnyway: false,
      from: "/",
    }).then(({ outcome }) => outcome);
  }
  for (const { id, name } of listFolders(house.eremos)) {
    await setRules(house.eremos, id, { ...STANDARD_RULES, atSignOut: "leave", atSleep: name === "Payroll" });
    await (
      await unlock(house.eremos, { pathOrId: id, from: "/", accept: [], mode: { kind: "usual" } })
    ).outcome;
  }
});
afterEach(() => {
  stop();
  vi.unstubAllEnvs();
  for (const program of programs) program.kill();
  fs.rmSync(directory, { recursive: true, force: true });
  house.remove();
});

const states = (): string[] => listFolders(house.eremos).map(({ name, state }) => `${name} ${state}`);

it.each(["lock", "hint"])(
  "a locked screen (told by %s) locks the folders that are to lock then, and only for this account's own screen",
  async (told) => {
    say("hint of another");
    say("wake");
    await new Promise((resolve) => setTimeout(resolve, 500));
    expect(states()).toEqual(["Payroll open", "Photos open"]);
    say(told);
    await vi.waitFor(() => expect(states()).toEqual(["Payroll locked", "Photos open"]), WAIT);
    expect(house.eremos.keys).not.toBeNull();
  },
);

it("sleep locks them as well, and signs out", async () => {
  const { cookie, tab } = sessions.create();
  say("sleep");
  await vi.waitFor(() => expect(house.eremos.keys).toBeNull(), WAIT);
  expect(sessions.has(cookie, tab)).toBe(false);
  expect(fs.existsSync(path.join(house.world, "Payroll", "letter.txt"))).toBe(false);
  expect(fs.existsSync(path.join(house.world, "Photos", "letter.txt"))).toBe(true);
});
