import { spawn } from "node:child_process";
import { randomBytes } from "node:crypto";
import { once } from "node:events";
import * as fs from "node:fs";
import * as path from "node:path";
import * as v8 from "node:v8";
import { identityOf } from "../../src/platform/identity";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import type { Scene } from "./scene";
import { withoutTimes } from "./scenes-inside";
import { type Verdict, watch } from "./system-calls";
import type { Given, Told } from "./watched-process";
import { type Person, newDirectory, newPerson, removeDirectory } from "./world";
import { bundleProcess } from "./own-process";

/** Decides on each change of a process: by the call's name, and how many there were before it. */
export type Decide = (call: string, before: number) => Verdict;

export interface Ended {
  readonly status: number | null;
  readonly errors: string;
  /** Of the work, not of a recovery. */
  readonly scene: Scene;
  /** In which it was made. */
  readonly parent: string;
}

/** Scenes played by processes of their own, all of one computer and one person, and watched at every change. */
export class Watched {
  private readonly secret = randomBytes(32);
  private readonly given = newDirectory();
  /** Beside the sources, from where it finds the native libraries. */
  private readonly bundle = path.join(import.meta.dirname, `watched-process.${process.pid}.bundle.mjs`);

  private constructor(readonly person: Person) {}

  static async make(): Promise<Watched> {
    const made = new Watched(await newPerson());
    Object.defineProperty(linuxDisk, "identity", { value: identityOf(made.secret) });
    await bundleProcess(path.join(import.meta.dirname, "watched-process.ts"), made.bundle);
    return made;
  }

  remove(): void {
    fs.rmSync(this.bundle, { force: true });
    removeDirectory(this.given);
  }

  /** `ready`: when the scene is set up, and nothing of the work is done. */
  async play(stage: string, base: string, decide: Decide, ready: () => void = () => undefined): Promise<Ended> {
    const file = path.join(this.given, "told");
    const ended = await this.run({ stage, base, told: file }, decide, ready);
    const { parent, folder, acceptable, isWithoutTimes } = v8.deserialize(fs.readFileSync(file)) as Told;
    return {
      ...ended,
      parent,
      scene: { folder, acceptable, run: async () => undefined, ...(isWithoutTimes ? { shown: withoutTimes } : {}) },
    };
  }

  async recover(folder: Buffer, decide: Decide): Promise<void> {
    await this.run({ recover: folder }, decide);
  }

  private async run(
    work: Given["work"],
    decide: Decide,
    ready: () => void = () => undefined,
  ): Promise<Pick<Ended, "status" | "errors">> {
    const file = path.join(this.given, "given");
    fs.writeFileSync(file, v8.serialize({ person: this.person, secret: this.secret, work } satisfies Given));
    const child = spawn(process.execPath, [this.bundle, file], { stdio: ["ignore", "pipe", "pipe"] });
    let errors = "";
    child.stderr.on("data", (chunk: Buffer) => (errors += chunk.toString()));
    const ended = once(child, "close") as Promise<[number | null]>;
    const [first] = (await Promise.race([once(child.stdout, "data"), ended])) as [Buffer | number | null];
    if (Buffer.isBuffer(first)) {
      ready();
      watch(child.pid ?? 0, Number(first.toString()), decide);
    }
    const [status] = await ended;
    return { status, errors };
  }
}
