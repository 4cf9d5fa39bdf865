import { type SpawnSyncReturns, spawnSync } from "node:child_process";
import * as fs from "node:fs";
import * as os from "node:os";
import * as path from "node:path";
import { fileURLToPath } from "node:url";
import { makeMixedTree } from "../../core/test/support/world";
import { chooseWithLeastEffort } from "../../server/test/least-effort";

export const CLI = fileURLToPath(new URL("../bin/eremos.mjs", import.meta.url));
export const PASSWORD = "violin varnish at dusk";

export interface Listed {
  readonly folders: readonly {
    readonly id: string;
    readonly path: string;
    readonly realPath: string;
    readonly guard: string;
    readonly visibility: string;
    readonly hasPassword: boolean;
    readonly state: string;
    readonly files: number;
    readonly bytes: number;
  }[];
}

/** A place and a data directory of their own, and the real program run on them. */
export class CommandLine {
  readonly base = fs.mkdtempSync(path.join(os.tmpdir(), "eremos-cli-"));
  readonly world = path.join(this.base, "world");
  readonly data = path.join(this.base, "data");
  readonly env: NodeJS.ProcessEnv = { ...process.env, EREMOS_DATA: this.data, EREMOS_PLACES: this.world };

  constructor() {
    fs.mkdirSync(this.world);
  }

  /** A master password, without the work of choosing one. Returns the recovery code. */
  setUp(): Promise<string> {
    return chooseWithLeastEffort(this.data, this.world, PASSWORD);
  }

  run(args: readonly string[], password: string | null = null): SpawnSyncReturns<string> {
    const flags = password === null ? [] : ["--password-stdin"];
    return spawnSync("node", [CLI, ...args, ...flags], {
      cwd: this.world,
      env: this.env,
      encoding: "utf8",
      input: password === null ? "" : `${password}\n`,
    });
  }

  json<T = Record<string, unknown>>(
    args: readonly string[],
    password: string | null = null,
  ): { status: number | null; body: T } {
    const { status, stdout } = this.run([...args, "--json"], password);
    return { status, body: JSON.parse(stdout) as T };
  }

  list(): Listed["folders"] {
    return this.json<Listed>(["list"], PASSWORD).body.folders;
  }

  makeFolder(name: string): string {
    const folder = path.join(this.world, name);
    fs.mkdirSync(folder);
    makeMixedTree(folder);
    return folder;
  }

  remove(): void {
    fs.rmSync(this.base, { recursive: true, force: true });
  }
}
