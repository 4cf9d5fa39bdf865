import { type ChildProcess, fork } from "node:child_process";
import type { Socket } from "node:net";
import * as path from "node:path";
import { EremosError, closeMemory, holdPort, letGoPort, randomBytes } from "@eremos/core";
import { DataDirectory, type ServerRecord } from "../data-directory";
import { addressOf, isRunning } from "../desktop/launcher";
import type { Settings } from "../settings";
import { unmount } from "../visit/mount";
import type { Drive } from "../visit/visits";
import { MOST_CONNECTIONS, openDoors } from "./doors";
import type { Carried, FromSession, ToSession } from "./session-protocol";

/** A session's process that was asked to stop, and has not ended after this, is cut off; what it did is put right at the next start. */
const LONGEST_STOP_MS = 20_000;

export interface RunningServer {
  readonly address: string;
  /** Resolves when it has ended without having been asked to, with why. */
  readonly failed: Promise<string>;
  close(): Promise<void>;
}

/**
 * Starts the server. This process holds the doors and nothing else: it reads no byte of a request. Each session has a process of its own, from the gate to the
 * sign-out, which ends with it; so whatever a session left in memory goes back to the kernel. @throws EremosError `port-in-use` | `data-unwritable`
 */
export async function serve(settings: Settings, development = false): Promise<RunningServer> {
  closeMemory();
  const data = DataDirectory.open(settings.dataDirectory);
  if (await isRunning(data)) throw new EremosError("port-in-use", "Your Eremos is running already. Nothing was touched; `eremos page` opens it in your browser.");
  const sessions = new SessionProcesses(path.join(settings.program, "server", "dist", "session-main.js"));
  // Every other account is shut out here, by the kernel's word, before anything of a request is read.
  const doors = await openDoors({ wanted: settings.plainAddress ? 0 : settings.port, kept: data.keptPort(), account: process.geteuid?.() ?? -1, receive: (socket) => sessions.receive(socket) });
  const { port } = doors;
  if (settings.port === null && !settings.plainAddress) data.keepPort(port);
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

type Beginning = Omit<Extract<ToSession, { readonly kind: "begin" }>, "kind" | "carried">;

interface HeldDrive extends Drive {
  readonly held: ReturnType<typeof holdPort> | null;
}

function letGo(held: HeldDrive["held"]): void {
  if (held && typeof held === "object") letGoPort(held);
}

/** The process of the present session, and those of earlier ones that bring something to its end still. */
class SessionProcesses {
  private beginning: Beginning | null = null;
  /** Takes the connections; null while the next one starts. */
  private present: ChildProcess | null = null;
  private readonly all = new Set<ChildProcess>();
  private waiting: Socket[] = [];
  private ending: Promise<unknown> = Promise.resolve();
  private readonly drives = new Map<ChildProcess, readonly HeldDrive[]>();
  private isStopping = false;
  private failure: EremosError | null = null;
  private fail: (why: string) => void = () => undefined;
  readonly failed = new Promise<string>((resolve) => (this.fail = resolve));

  constructor(private readonly program: string) {}

  /** @throws EremosError whatever the first one could not start for */
  async begin(beginning: Beginning): Promise<void> {
    this.beginning = beginning;
    await this.next({ isFirst: true, stayPaused: false });
  }

  receive(socket: Socket): void {
    if (this.present) return give(this.present, socket);
    if (this.waiting.length < MOST_CONNECTIONS && !this.isStopping) this.waiting.push(socket);
    else socket.destroy();
  }

  private next(carried: Carried): Promise<void> {
    const { beginning } = this;
    if (!beginning) return Promise.resolve();
    const child = fork(this.program, [], { serialization: "advanced", stdio: ["ignore", beginning.development ? "inherit" : "ignore", "inherit", "ipc"] });
    this.all.add(child);
    tell(child, { kind: "begin", ...beginning, carried });
    return new Promise((resolve, reject) => {
      child.on("message", (message: FromSession) => {
        if (message.kind === "ready") {
          this.present = child;
          for (const socket of this.waiting.splice(0)) give(child, socket);
          resolve();
        } else if (message.kind === "failed") reject((this.failure = new EremosError(message.code, message.message)));
        else if (message.kind === "drives") this.holdDrives(child, message.drives);
        else if (message.kind === "cancel") for (const other of this.all) tell(other, message);
        else this.succeed(child, message.carried);
      });
      child.once("error", reject);
      child.once("exit", (code, signal) => {
        this.all.delete(child);
        this.ending = Promise.all([this.ending, this.endDrives(child)]);
        reject(new EremosError("interrupted", `Eremos could not start (${signal ?? String(code)}). Nothing was touched.`));
        if (this.present !== child || this.isStopping) return;
        this.present = null;
        this.fail(`Eremos ended in the middle (${signal ?? `code ${String(code)}`}). Nothing is lost; start it again.`);
      });
    });
  }

  private holdDrives(child: ChildProcess, drives: readonly Drive[]): void {
    const before = this.drives.get(child) ?? [];
    const stays = before.filter(({ address }) => drives.some((drive) => drive.address === address));
    for (const { held } of before.filter((one) => !stays.includes(one))) letGo(held);
    const known = drives.filter(({ address }) => stays.some((one) => one.address === address)).map((drive) => ({ ...drive, held: stays.find(({ address }) => address === drive.address)?.held ?? null }));
    const fresh = drives.filter(({ address }) => !stays.some((one) => one.address === address)).map((drive) => ({ ...drive, held: holdPort("127.0.0.1", drive.port) }));
    this.drives.set(child, [...known, ...fresh]);
  }

  /** A session that was killed: the desktop is told that its drives are gone, before anybody else can answer there. */
  private async endDrives(child: ChildProcess): Promise<void> {
    const drives = this.drives.get(child) ?? [];
    this.drives.delete(child);
    await Promise.all(drives.filter(({ isMounted }) => isMounted).map(unmount));
    for (const { held } of drives) letGo(held);
  }

  /** A session is over: whoever comes from now on comes to the next one. */
  private succeed(child: ChildProcess, carried: Carried): void {
    if (this.present !== child || this.isStopping) return;
    this.present = null;
    tell(child, { kind: "retire" });
    this.next(carried).catch((error: unknown) => this.fail(error instanceof Error ? error.message : String(error)));
  }

  /** @throws EremosError what could not be ended as it should */
  async stop(): Promise<void> {
    this.isStopping = true;
    for (const socket of this.waiting.splice(0)) socket.destroy();
    await Promise.all([...this.all].map(async (child) => {
      const ended = new Promise((resolve) => child.once("exit", resolve));
      tell(child, { kind: "stop" });
      const timer = setTimeout(() => child.kill("SIGKILL"), LONGEST_STOP_MS);
      await ended;
      clearTimeout(timer);
    }));
    await this.ending;
    if (this.failure) throw this.failure;
  }
}

/** One that has just ended hears nothing any more; its end is told by itself. */
function tell(child: ChildProcess, message: ToSession): void {
  if (child.connected) child.send(message, () => undefined);
}

function give(child: ChildProcess, socket: Socket): void {
  child.send({ kind: "connection" } satisfies ToSession, socket, (error) => {
    if (error) socket.destroy();
  });
}
