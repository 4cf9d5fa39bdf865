import { type ChildProcess, spawn, spawnSync } from "node:child_process";
import { createHmac, randomBytes, timingSafeEqual } from "node:crypto";
import { request } from "node:http";
import { CALL_TYPE } from "../call-body";
import {
  EremosError,
  SIGN_NAMES,
  disk,
  displayPath,
  inspectFolder,
  isEremosError,
  readPlanted,
  splitPath,
  systemCode,
} from "@eremos/core";
import type { AskedAct } from "../contract";
import { DataDirectory, type ServerRecord } from "../data-directory";
import type { Settings } from "../settings";
import type { DesktopFile, DesktopHome } from "./desktop";
import { desktopHomeOf } from "./desktop-home";
import { START_NOW, userUnits } from "./user-units";
import { showInOwnWindow } from "./own-window";
import { openByDesktop } from "./show";
import { said } from "@eremos/words/server/desktop";

const ANSWER_MS = 2000;
const LONGEST_ANSWER = 4096;
const START_MS = 20_000;
const MOST_UNIT_BYTES = 64 * 1024;
const ASK_EVERY_MS = 250;

/** What proves to the launcher that a server is the owner's: only the owner's account can read the secret. */
export function proofFor(secret: string, nonce: string): string {
  return createHmac("sha256", secret).update(`eremos/2/server\n${nonce}`).digest("hex");
}

/**
 * The address of the owner's own running server, or null. Any account can listen on a port of this computer; whoever
 * can't read the owner-only file can't answer. @throws EremosError `port-in-use` when somebody else answers at its port
 */
async function runningServer(data: DataDirectory): Promise<string | null> {
  const known = data.server();
  if (!known) return null;
  const nonce = randomBytes(32).toString("hex");
  const answer = await sayHello(known, nonce);
  if (answer === null) return null;
  const proof = Buffer.from(proofFor(known.secret, nonce));
  const given = Buffer.from(answer);
  if (given.length === proof.length && timingSafeEqual(given, proof)) return addressOf(known);
  throw new EremosError("port-in-use", said("something-else-than-your-eremos", { port: known.port }));
}

/** Something else than ours at the port of the last start is no reason not to start: this one takes another. */
export async function isRunning(data: DataDirectory): Promise<boolean> {
  return (
    (await runningServer(data).catch((error: unknown) => {
      if (isEremosError(error) && error.code === "port-in-use") return null;
      throw error;
    })) !== null
  );
}

/** The whole address of a start. */
export function addressOf({ host }: Pick<ServerRecord, "host">): string {
  return `http://${host}`;
}

/**
 * What a server answers when it is asked for its proof; null where nothing listens. Names below `.localhost` are for
 * browsers: this asks the port.
 */
function sayHello({ port, host }: ServerRecord, nonce: string): Promise<string | null> {
  const body = JSON.stringify({ nonce });
  return new Promise((resolve) => {
    const asked = request(
      {
        host: "127.0.0.1",
        port,
        path: "/api/hello",
        method: "POST",
        headers: { host, origin: `http://${host}`, "content-type": CALL_TYPE, "content-length": body.length },
        timeout: ANSWER_MS,
      },
      (response) => {
        let text = "";
        response.on("data", (part: Buffer) => {
          text += part.toString("utf8");
          if (text.length > LONGEST_ANSWER) asked.destroy();
        });
        response.on("end", () => resolve(/"proof":"([0-9a-f]{64})"/.exec(text)?.[1] ?? ""));
        response.on("error", () => resolve(""));
      },
    );
    asked.on("timeout", () => asked.destroy());
    asked.on("error", (error) => resolve(systemCode(error) === "ECONNREFUSED" ? null : ""));
    asked.end(body);
  });
}

/** Starts the server by itself where it does not run; returns its address. */
async function ensureServer(data: DataDirectory, settings: Settings): Promise<string> {
  const running = await runningServer(data);
  if (running) return running;
  const home = desktopHomeOf(settings);
  const started = startedByManager(home);
  const child = started ? null : startHere(home.command);
  for (let waited = 0; waited < START_MS; waited += ASK_EVERY_MS) {
    await new Promise((resolve) => setTimeout(resolve, ASK_EVERY_MS));
    const address = await runningServer(data);
    if (address) return address;
    if (child && child.exitCode !== null) break;
  }
  throw new EremosError("interrupted", said("eremos-could-not-be-started"));
}

/** By the account's service manager, where it would start this very Eremos: it holds the port. */
function startedByManager(home: DesktopHome): boolean {
  if (!home.userManager) return false;
  const units = userUnits(home, home.userManager.port);
  const isThere = ({ path: file, content }: DesktopFile): boolean =>
    readPlanted(file, MOST_UNIT_BYTES)?.equals(Buffer.from(content)) ?? false;
  return units.every(isThere) && spawnSync(START_NOW.program, START_NOW.words, { stdio: "ignore" }).status === 0;
}

function startHere([program = "", ...words]: readonly string[]): ChildProcess {
  const child = spawn(program, [...words, "serve"], { detached: true, stdio: "ignore" });
  child.once("error", () => undefined);
  child.unref();
  return child;
}

/**
 * Shows an address in the person's browser, in a window of its own where it has such: by an owner-only file, since every account can read the words of a command
 * line. @returns whether there is a program for that
 */
async function showInBrowser(data: DataDirectory, address: string): Promise<boolean> {
  const wayIn = data.writeWayIn(address);
  return (await showInOwnWindow(wayIn)) || (await openByDesktop(wayIn));
}

interface Shown {
  readonly address: string;
  /** There was a program to show it in. */
  readonly shown: boolean;
}

/**
 * Shows Eremos, or the folder at a path, in the person's browser; starts Eremos where it does not run. Where it was
 * asked from the desktop, the page leads back there.
 */
export async function showPage(
  settings: Settings,
  path: Buffer | null,
  from: "here" | "desktop" = "here",
): Promise<Shown> {
  const data = DataDirectory.open(settings.dataDirectory);
  const start = await ensureServer(data, settings);
  const folder = path === null ? null : folderAt(path);
  const back = from === "desktop" ? "?from=desktop" : "";
  const address = folder === null ? start : `${start}/folders/${folder}${back}`;
  return { address, shown: await showInBrowser(data, address) };
}

/** The page asks about what was chosen in the file manager. No name is a part of the address. */
export async function askOnPage(settings: Settings, act: AskedAct, paths: readonly Buffer[]): Promise<Shown> {
  const [only] = paths;
  if (act === "open" && paths.length === 1 && only && folderAt(only) !== null)
    return showPage(settings, only, "desktop");
  const data = DataDirectory.open(settings.dataDirectory);
  const start = await ensureServer(data, settings);
  data.ask({ act, paths: paths.map(displayPath) });
  const address = `${start}/?asked=${act}`;
  return { address, shown: await showInBrowser(data, address) };
}

/** A sign in a locked folder means what it lies in; whatever else is chosen is meant itself. */
export function meantBy(chosen: Buffer): Buffer {
  const { parent, name } = splitPath(chosen);
  return SIGN_NAMES.has(name.toString("latin1")) && folderAt(parent) !== null ? parent : chosen;
}

/** Shows a page of the server that runs, this process's own; nothing where none does. */
export async function showRunning(data: DataDirectory, path: string): Promise<void> {
  const record = data.server();
  if (record) await showInBrowser(data, `${addressOf(record)}${path}`);
}

/** The id that a locked folder tells of itself; null where it tells none. */
function folderAt(path: Buffer): string | null {
  try {
    return inspectFolder(disk, path)?.folder ?? null;
  } catch (error) {
    if (isEremosError(error)) return null;
    throw error;
  }
}
