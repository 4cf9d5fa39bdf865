import { type ChildProcess, fork } from "node:child_process";
import type { Socket } from "node:net";
import { EremosError, errorOf, fromSystemError, holdPort, letGoPort } from "@eremos/core";
import { unmount } from "../visit/mount";
import type { Drive } from "../visit/visits";
import { MOST_CONNECTIONS } from "./doors";
import type { Carried, FromSession, ToSession } from "./session-protocol";
import { said } from "@eremos/words/server/house";

/**
 * A session's process that was asked to stop, and has not ended after this, is cut off; what it did is put right at the
 * next start.
 */
const LONGEST_STOP_MS = 20_000;
const TELL_OF_STRANGERS_MS = 1000;

type Beginning = Omit<Extract<ToSession, { readonly kind: "begin" }>, "kind" | "carried">;

interface HeldDrive extends Drive {
  readonly held: ReturnType<typeof holdPort>;
}

function letGo(held: HeldDrive["held"]): void {
  if (typeof held === "object") letGoPort(held);
}

/** The process of the present session, and those of earlier ones that bring something to its end still. */
export class SessionProcesses {
  private beginning: Beginning | null = null;
  /** Takes the connections; null while the next one starts. */
  private present: ChildProcess | null = null;
  private readonly all = new Set<ChildProcess>();
  private waiting: Socket[] = [];
  private ending: Promise<unknown> = Promise.resolve();
  private readonly drives = new Map<ChildProcess, ReadonlyMap<string, HeldDrive>>();
  /** Shut out since the session was told last, by account. */
  private readonly strangers = new Map<number, number>();
  private strangersTimer: NodeJS.Timeout | null = null;
  private isStopping = false;
  private failure: EremosError | null = null;
  private fail: (why: EremosError) => void = () => undefined;
  readonly failed = new Promise<EremosError>((resolve) => (this.fail = resolve));

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

  /**
   * Somebody of another account was shut out: the present session writes it down. As often as they try, it hears of them
   * once in a while.
   */
  stranger(account: number): void {
    this.strangers.set(account, (this.strangers.get(account) ?? 0) + 1);
    this.strangersTimer ??= setTimeout(() => {
      this.strangersTimer = null;
      for (const [one, count] of this.strangers)
        if (this.present) tell(this.present, { kind: "stranger", account: one, count });
      this.strangers.clear();
    }, TELL_OF_STRANGERS_MS).unref();
  }

  private next(carried: Carried): Promise<void> {
    const { beginning } = this;
    if (!beginning) return Promise.resolve();
    const child = fork(this.program, [], {
      serialization: "advanced",
      stdio: ["ignore", beginning.development ? "inherit" : "ignore", "inherit", "ipc"],
    });
    this.all.add(child);
    tell(child, { kind: "begin", ...beginning, carried });
    return new Promise((resolve, reject) => {
      child.on("message", (message: FromSession) => {
        if (message.kind === "ready") {
          this.present = child;
          for (const socket of this.waiting.splice(0)) give(child, socket);
          resolve();
        } else if (message.kind === "failed") reject((this.failure = errorOf(message.failure)));
        else if (message.kind === "drives") {
          this.holdDrives(child, message.drives);
          tell(child, { kind: "drives-held" });
        } else if (message.kind === "cancel") for (const other of this.all) tell(other, message);
        else this.succeed(child, message.carried);
      });
      child.once("error", reject);
      child.once("exit", (code, signal) => {
        this.all.delete(child);
        this.ending = Promise.all([this.ending, this.endDrives(child)]);
        reject(
          new EremosError("interrupted", said("eremos-could-not-start-nothing", { signal: signal ?? String(code) })),
        );
        if (this.present !== child || this.isStopping) return;
        this.present = null;
        this.fail(
          new EremosError(
            "interrupted",
            said("eremos-ended-in-middle-nothing", { signal: signal ?? `code ${String(code)}` }),
          ),
        );
      });
    });
  }

  private holdDrives(child: ChildProcess, drives: readonly Drive[]): void {
    const before = this.drives.get(child) ?? new Map<string, HeldDrive>();
    const now = new Map(
      drives.map((drive) => [
        drive.address,
        { ...drive, held: before.get(drive.address)?.held ?? holdPort("127.0.0.1", drive.port) },
      ]),
    );
    for (const [address, { held }] of before) if (!now.has(address)) letGo(held);
    this.drives.set(child, now);
  }

  /** A session that was killed: the desktop is told that its drives are gone, before anybody else can answer there. */
  private async endDrives(child: ChildProcess): Promise<void> {
    const drives = [...(this.drives.get(child)?.values() ?? [])];
    this.drives.delete(child);
    await Promise.all(drives.filter(({ isMounted }) => isMounted).map(unmount));
    for (const { held } of drives) letGo(held);
  }

  /** A session is over: whoever comes from now on comes to the next one. */
  private succeed(child: ChildProcess, carried: Carried): void {
    if (this.present !== child || this.isStopping) return;
    this.present = null;
    tell(child, { kind: "retire" });
    this.next(carried).catch((error: unknown) => this.fail(fromSystemError(error, said("starting"))));
  }

  /** @throws EremosError what could not be ended as it should */
  async stop(): Promise<void> {
    this.isStopping = true;
    for (const socket of this.waiting.splice(0)) socket.destroy();
    await Promise.all(
      [...this.all].map(async (child) => {
        const ended = new Promise((resolve) => child.once("exit", resolve));
        tell(child, { kind: "stop" });
        const timer = setTimeout(() => child.kill("SIGKILL"), LONGEST_STOP_MS);
        await ended;
        clearTimeout(timer);
      }),
    );
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
