import { type ChildProcess, fork } from "node:child_process";
import { errorOf } from "@eremos/core";
import type { FromLooker, Question, ToLooker } from "./protocol";

/** Until its first word: a process takes a while to start on a busy computer. */
const LONGEST_START_MS = 30_000;

interface Asked {
  /** Hears that it has begun, and what comes before the end. */
  readonly hears: (message: FromLooker) => void;
  readonly resolve: (isDone: boolean) => void;
  readonly reject: (error: unknown) => void;
}

/** One process that looks. */
export class LookingProcess {
  private readonly process: ChildProcess;
  private readonly asked = new Map<number, Asked>();
  private nextId = 1;
  private timer: NodeJS.Timeout | null = null;
  private endsWhenDone = false;
  /** It has said something. */
  hasBegun = false;
  /** The folder that it is looking at. */
  at: string | null = null;
  /** When it has ended, or, where it was left alone, when it has done what it was at. */
  readonly over: Promise<void>;
  isOver = false;

  constructor(
    program: string,
    identity: Uint8Array,
    private readonly patience: number,
  ) {
    this.process = fork(program, [], {
      serialization: "advanced",
      execArgv: [],
      stdio: ["ignore", "ignore", "ignore", "ipc"],
    });
    this.process.unref();
    this.process.channel?.unref();
    this.over = new Promise((resolve) => {
      const ended = (): void => {
        this.isOver = true;
        if (this.timer) clearTimeout(this.timer);
        for (const asked of this.asked.values()) asked.resolve(false);
        this.asked.clear();
        resolve();
      };
      this.process.on("exit", ended);
      this.process.on("error", ended);
    });
    this.process.on("message", (message: FromLooker) => this.hear(message));
    this.tell({ kind: "begin", identity });
  }

  /** False where it takes longer than anybody waits, or the process ended. */
  ask(question: Question, hears: Asked["hears"]): Promise<boolean> {
    if (this.isOver) return Promise.resolve(false);
    const id = this.nextId++;
    return new Promise((resolve, reject) => {
      this.asked.set(id, { hears, resolve, reject });
      this.waitOn();
      this.tell({ kind: "ask", id, question });
    });
  }

  private hear(message: FromLooker): void {
    const asked = this.asked.get(message.id);
    this.hasBegun = true;
    this.waitOn();
    if (message.kind === "at") {
      this.at = message.folder;
      return;
    }
    if (message.kind === "done" || message.kind === "failed") {
      this.at = null;
      this.asked.delete(message.id);
      if (message.kind === "failed") asked?.reject(errorOf(message.failure));
      else asked?.resolve(true);
      if (this.asked.size === 0 && this.timer) clearTimeout(this.timer);
    } else asked?.hears(message);
    if (this.endsWhenDone) this.end();
  }

  /** Whoever waits is let go when nothing was heard for so long; it goes on with what it is at. */
  private waitOn(): void {
    if (this.timer) clearTimeout(this.timer);
    const patience = this.hasBegun ? this.patience : Math.max(this.patience, LONGEST_START_MS);
    this.timer = setTimeout(() => {
      const waiting = [...this.asked.values()];
      this.asked.clear();
      for (const asked of waiting) asked.resolve(false);
    }, patience).unref();
  }

  private tell(message: ToLooker): void {
    if (this.process.connected) this.process.send(message, undefined, undefined, () => undefined);
  }

  /** At its next word. */
  endWhenDone(): void {
    this.endsWhenDone = true;
  }

  end(): void {
    this.process.kill("SIGKILL");
  }
}
