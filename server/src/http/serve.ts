import * as path from "node:path";
import { EremosError, closeMemory, givenPorts, randomBytes } from "@eremos/core";
import { DataDirectory, type ServerRecord } from "../data-directory";
import { addressOf, isRunning } from "../desktop/launcher";
import type { Settings } from "../settings";
import { onEndSignals } from "../end-signals";
import { openDoors } from "./doors";
import { SessionProcesses } from "./session-processes";
import { said } from "@eremos/words/server/house";

interface RunningServer {
  readonly address: string;
  /** Resolves when it has ended without having been asked to, with why. */
  readonly failed: Promise<EremosError>;
  close(): Promise<void>;
}

/**
 * Starts the server. This process holds the doors and nothing else: it reads no byte of a request. Each session has a
 * process of its own, from the gate to the sign-out, which ends with it; so whatever a session left in memory goes back
 * to the kernel. @throws EremosError `port-in-use` | `data-unwritable`
 */
async function serve(settings: Settings, development: boolean): Promise<RunningServer> {
  closeMemory();
  const data = DataDirectory.open(settings.dataDirectory);
  if (await isRunning(data)) throw new EremosError("port-in-use", said("your-eremos-is-running-already"));
  const sessions = new SessionProcesses(path.join(settings.program, "server", "dist", "session-main.cjs"));
  const given = givenPorts(process.env, process.pid);
  if (given === "elsewhere") throw new EremosError("port-in-use", said("given-sockets-are-elsewhere"));
  // Every other account is shut out here, by the kernel's word, before anything of a request is read.
  const doors = await openDoors({
    wanted: settings.plainAddress ? 0 : settings.port,
    kept: data.keptPort(),
    account: process.geteuid?.() ?? -1,
    receive: (socket) => sessions.receive(socket),
    stranger: (account) => sessions.stranger(account),
    given,
  });
  const { port } = doors;
  if (settings.port === null && !settings.plainAddress && given.length === 0) data.keepPort(port);
  const host = `${settings.plainAddress ? "127.0.0.1" : `eremos-${randomBytes(10).toString("hex")}.localhost`}:${port}`;
  const record: ServerRecord = { port, host, secret: randomBytes(32).toString("hex") };
  const end = async (): Promise<void> => {
    try {
      await sessions.stop();
      data.removeServer(record);
    } finally {
      // Also where the data directory is gone: what is stopped ends.
      doors.close();
    }
  };
  try {
    await sessions.begin({ settings, development, record });
  } catch (error) {
    await end();
    throw error;
  }
  data.writeServer(record);
  return { address: addressOf(record), failed: sessions.failed, close: end };
}

/**
 * Serves until a signal asks this process to end. Signals are heard before anybody is told that it runs (`ready`).
 * @throws EremosError as {@link serve}; `interrupted` where it ended without having been asked to
 */
export async function serveUntilStopped(
  settings: Settings,
  ready: (address: string) => void,
  development = false,
): Promise<void> {
  const asked = new Promise<null>((resolve) => void onEndSignals(() => resolve(null)));
  const server = await serve(settings, development);
  ready(server.address);
  const failure = await Promise.race([asked, server.failed]);
  await server.close();
  if (failure !== null) throw failure;
}
