import { type ChildProcess, spawn, spawnSync } from "node:child_process";
import * as fs from "node:fs";
import * as os from "node:os";
import * as path from "node:path";

export const PACKAGES = path.resolve("packages");
const BROWSE = path.resolve("packaging/test/browse.mjs");

export interface Ran {
  readonly status: number | null;
  readonly out: string;
}

/** An account of the system that was made, with a number that no account of this computer has. */
export interface Account {
  readonly name: string;
  readonly number: number;
  readonly home: string;
}

/**
 * A Debian that was made just now, with nothing in it but what the package asks for: no runtime, no compiler, no
 * browser. It shares this computer's network, so that a browser from outside can look at what runs in it.
 */
export class FreshSystem {
  readonly at = fs.mkdtempSync(path.join(os.tmpdir(), "eremos-system-"));
  private readonly running: ChildProcess[] = [];
  private readonly accounts: Account[] = [];
  private readonly mounted: string[] = [];

  constructor(archive: string) {
    fs.chmodSync(this.at, 0o755);
    run("tar", "-xf", archive, "-C", this.at);
    this.mount("/proc", (full) => run("mount", "-t", "proc", "proc", full));
  }

  addAccount(name: string, number: number): Account {
    this.asRoot(`useradd -m -u ${number} ${name}`);
    const account = { name, number, home: `/home/${name}` };
    this.accounts.push(account);
    return account;
  }

  /** As an administrator. */
  asRoot(command: string, environment: Readonly<Record<string, string>> = {}): Ran {
    return this.ran(
      ["env", "-i", "PATH=/usr/sbin:/usr/bin:/sbin:/bin", ...words(environment), "sh", "-c", command],
      "",
    );
  }

  /** As an ordinary account, from its home. */
  as(account: Account, command: string, input = ""): Ran {
    return this.ran(this.wordsFor(account, command), input);
  }

  private wordsFor({ name, home }: Account, command: string): string[] {
    const environment = words({ HOME: home, PATH: "/usr/bin:/bin", USER: name, LANG: "C.UTF-8" });
    return ["runuser", "-u", name, "--", "env", "-i", `--chdir=${home}`, ...environment, "sh", "-c", command];
  }

  private ran(command: readonly string[], input: string): Ran {
    const { status, stdout, stderr } = spawnSync("chroot", [this.at, ...command], { encoding: "utf8", input });
    return { status, out: `${stdout}${stderr}` };
  }

  /** Starts what serves; resolves to where it is. */
  serve(
    account: Account,
    command: string,
  ): Promise<{ readonly address: string; stop(signal: NodeJS.Signals): Promise<void> }> {
    const child = spawn("chroot", [this.at, ...this.wordsFor(account, `exec ${command}`)], {
      stdio: ["ignore", "pipe", "pipe"],
    });
    this.running.push(child);
    const ended = new Promise<void>((resolve) => child.once("exit", () => resolve()));
    return new Promise((resolve, reject) => {
      let said = "";
      const hear = (part: Buffer): void => {
        said += part.toString();
        const [address] = /http:\/\/\S+/.exec(said) ?? [];
        if (!address) return;
        resolve({
          address,
          stop: async (signal) => {
            // The one that serves, below the shell's parents.
            for (const pid of this.pidsOf(`^${account.number}$`, "eremos.mjs serve")) process.kill(pid, signal);
            await ended;
          },
        });
      };
      child.stdout.on("data", hear);
      child.stderr.on("data", hear);
      child.once("exit", () => reject(new Error(`It ended: ${said}`)));
    });
  }

  /** What all processes of an account take of the memory, what is shared counted in parts, in MiB. */
  memoryOf({ number }: Account): number {
    const parts = this.pidsOf(`^${number}$`, "eremos").map((pid) => {
      const [, kibibytes] = /^Pss: +(\d+) kB/m.exec(fs.readFileSync(`/proc/${pid}/smaps_rollup`, "utf8")) ?? [];
      return Number(kibibytes ?? 0);
    });
    return Math.round(parts.reduce((sum, part) => sum + part, 0) / 1024);
  }

  private pidsOf(number: string, words: string): number[] {
    return fs
      .readdirSync("/proc")
      .filter((name) => /^\d+$/.test(name))
      .filter((pid) => {
        try {
          const owner = fs.statSync(`/proc/${pid}`).uid;
          return (
            new RegExp(number).test(String(owner)) &&
            fs.readFileSync(`/proc/${pid}/cmdline`, "utf8").replaceAll("\0", " ").includes(words)
          );
        } catch {
          return false;
        }
      })
      .map(Number);
  }

  /** A browser outside, under the account's number: what it was told to do, and what it saw. */
  browse({ number }: Account, ...told: readonly string[]): string {
    const own = fs.mkdtempSync(path.join(os.tmpdir(), "eremos-browser-"));
    fs.chownSync(own, number, number);
    try {
      const { status, stdout, stderr } = spawnSync(
        "setpriv",
        [`--reuid=${number}`, `--regid=${number}`, "--clear-groups", process.execPath, BROWSE, ...told],
        { encoding: "utf8", env: { ...process.env, HOME: own, TMPDIR: own }, cwd: path.dirname(BROWSE) },
      );
      if (status !== 0) throw new Error(`${stdout}${stderr}`);
      return stdout;
    } finally {
      fs.rmSync(own, { recursive: true, force: true });
    }
  }

  /** Every file below a directory of it, with what it holds, to be compared. */
  filesBelow(directory: string): ReadonlyMap<string, string> {
    const found = new Map<string, string>();
    const look = (at: string): void => {
      for (const entry of fs.readdirSync(path.join(this.at, at), { withFileTypes: true })) {
        const name = path.join(at, entry.name);
        if (entry.isDirectory()) look(name);
        else if (entry.isFile()) found.set(name, fs.readFileSync(path.join(this.at, name)).toString("base64"));
        else found.set(name, "no file");
      }
    };
    look(directory);
    return found;
  }

  has(name: string): boolean {
    return fs.existsSync(path.join(this.at, name));
  }

  read(name: string): string {
    return fs.readFileSync(path.join(this.at, name), "utf8");
  }

  write({ number }: Account, name: string, content: string): void {
    const full = path.join(this.at, name);
    fs.mkdirSync(path.dirname(full), { recursive: true });
    fs.writeFileSync(full, content);
    this.asRoot(`chown -R ${number}:${number} '${path.dirname(name)}'`);
  }

  /** Something is mounted in it until it is removed. Returns where, as in it. */
  mount(at: string, mount: (full: string) => void): string {
    const full = path.join(this.at, at);
    fs.mkdirSync(full, { recursive: true });
    mount(full);
    this.mounted.push(full);
    return at;
  }

  remove(): void {
    for (const child of this.running) child.kill("SIGKILL");
    // Whoever starts for another account waits for what it started, and does not take it along.
    for (const { number } of this.accounts)
      for (const pid of this.pidsOf(`^${number}$`, "")) process.kill(pid, "SIGKILL");
    for (const full of this.mounted.reverse()) run("umount", "-l", full);
    run("rm", "-rf", "--one-file-system", "--", this.at);
  }
}

function words(environment: Readonly<Record<string, string>>): string[] {
  return Object.entries(environment).map(([name, value]) => `${name}=${value}`);
}

export function run(program: string, ...args: readonly string[]): string {
  const { status, stdout, stderr, error } = spawnSync(program, args, { encoding: "utf8" });
  if (status !== 0) throw new Error(`${program} ${args.join(" ")}: ${error?.message ?? `${stdout}${stderr}`}`);
  return stdout;
}
