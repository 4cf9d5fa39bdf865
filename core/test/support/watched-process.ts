import * as fs from "node:fs";
import * as v8 from "node:v8";
import { recoverFolder } from "../../src/engine/guards/recover";
import { EremosError } from "../../src/errors/eremos-error";
import { identityOf } from "../../src/platform/identity";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import { STAGES, setUp } from "./scenes";
import { beWatched, endWork } from "./system-calls";
import type { Person } from "./world";

/**
 * A process of its own that sets a scene up, says where, and then does its work while it is watched; or one that puts
 * right what such a one left. Ends with 0, or with 3 where it says why it stopped.
 */
export interface Given {
  readonly person: Person;
  /** By which all of them are one computer. */
  readonly secret: Buffer;
  readonly work:
    { readonly stage: string; readonly base: string; readonly told: string } | { readonly recover: Buffer };
}

/** What the process says of its scene. */
export interface Told {
  readonly parent: string;
  readonly folder: string;
  readonly acceptable: readonly (readonly string[])[];
  readonly isWithoutTimes: boolean;
}

async function work({ person, secret, work: what }: Given): Promise<void> {
  Object.defineProperty(linuxDisk, "identity", { value: identityOf(secret) });
  let run = async (): Promise<unknown> => ("recover" in what ? recoverFolder(linuxDisk, what.recover) : undefined);
  if (!("recover" in what)) {
    const stage = STAGES[what.stage];
    if (!stage) throw new Error(`there is no stage ${what.stage}`);
    const { scene, parent } = await setUp(person, what.base, stage);
    const told: Told = {
      parent,
      folder: scene.folder,
      acceptable: scene.acceptable,
      isWithoutTimes: scene.shown !== undefined,
    };
    fs.writeFileSync(what.told, v8.serialize(told));
    run = () => scene.run(linuxDisk);
  }
  process.stdout.write(`${beWatched()}\n`);
  try {
    await run();
    endWork();
    process.exit(0);
  } catch (error) {
    endWork();
    if (error instanceof EremosError && error.code !== "internal") process.exit(3);
    process.stderr.write(`${error instanceof Error ? error.stack : String(error)}\n`);
    process.exit(9);
  }
}

void work(v8.deserialize(fs.readFileSync(process.argv[2] ?? "")) as Given);
