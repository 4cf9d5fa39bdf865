import { type ChildProcess, spawn } from "node:child_process";
import { encodeCall } from "../../server/src/call-body";
import { ask } from "./ask";
import { CLI, type CommandLine } from "./command-line";

export interface Answer {
  readonly status: number;
  readonly body: { readonly tab?: string; readonly stays?: boolean; readonly error?: { readonly code: string } };
}

/** The real server in a process of its own, and a signed-in page's calls to it. */
export class RunningServer {
  private server: ChildProcess | null = null;
  private session = { tab: "", cookie: "" };
  address = "";

  constructor(
    private readonly cli: CommandLine,
    private readonly environment: Readonly<Record<string, string>> = {},
    /** The words of what starts it, before its own. */
    private readonly through: readonly string[] = [],
  ) {}

  start(): Promise<void> {
    const [program = "", ...words] = [...this.through, "node", CLI, "serve"];
    const server = spawn(program, words, {
      env: { ...this.cli.env, EREMOS_PORT: "0", ...this.environment },
      stdio: ["ignore", "ignore", "pipe"],
    });
    this.server = server;
    this.session = { tab: "", cookie: "" };
    this.address = "";
    return new Promise((resolve, reject) => {
      server.once("exit", (code) => reject(new Error(`the server ended with ${code}`)));
      server.stderr.on("data", (part) => {
        this.address = /Eremos is at (http:\S+)/.exec(String(part))?.[1] ?? this.address;
        if (this.address !== "") resolve();
      });
    });
  }

  async stop(signal: NodeJS.Signals = "SIGTERM"): Promise<void> {
    const { server } = this;
    if (!server || server.exitCode !== null || server.signalCode !== null) return;
    const ended = new Promise((resolve) => server.once("exit", resolve));
    // One that a test has stopped hears it, too.
    server.kill("SIGCONT");
    server.kill(signal);
    await ended;
    this.address = "";
  }

  /** Nobody reads any more what it says, as when its terminal was closed. */
  closeTerminal(): void {
    this.server?.stderr?.destroy();
  }

  /** Resolves when the process that was started has ended. */
  get ended(): Promise<void> {
    const { server } = this;
    if (!server || server.exitCode !== null || server.signalCode !== null) return Promise.resolve();
    return new Promise((resolve) => server.once("exit", () => resolve()));
  }

  /** Of the process that was started. */
  get pid(): number {
    return this.server?.pid ?? 0;
  }

  /** By which the page proves that it is signed in. */
  get headers(): Record<string, string> {
    return { cookie: this.session.cookie, "x-eremos-tab": this.session.tab };
  }

  async call(name: string, body: object = {}): Promise<Answer> {
    const answer = await ask(this.address, `/api/${name}`, { headers: this.headers, body: encodeCall(body) });
    const read = JSON.parse(answer.body) as Answer["body"];
    if (read.tab) this.session = { tab: read.tab, cookie: answer.headers["set-cookie"]?.[0]?.split(";")[0] ?? "" };
    return { status: answer.status, body: read };
  }
}
