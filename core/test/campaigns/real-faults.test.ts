import * as os from "node:os";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { locateFolder } from "../../src/engine/upkeep/locate";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import { FOLDER } from "../support/scene";
import { STAGES, campaignDirectory, expectWhole, plainAfterRecovery } from "../support/scenes";
import { SEED, randomFrom } from "../support/stride";
import { CAN_LISTEN, type Verdict } from "../support/system-calls";
import { type Decide, Watched } from "../support/watched";
import { removeDirectory } from "../support/world";

/** Real processes, killed or failed by the system at one of their changing system calls. */
const DEEP = process.env["EREMOS_DEEP"] === "1";
const ROUNDS = DEEP ? 16 : 1;
const DAILY = 11;
const { errno } = os.constants;
const FAULTS = {
  killed: "kill",
  EIO: { errno: errno.EIO },
  ENOSPC: { errno: errno.ENOSPC },
  EACCES: { errno: errno.EACCES },
} as const satisfies Record<string, Verdict>;
const FAULT_NAMES = Object.keys(FAULTS) as (keyof typeof FAULTS)[];

let watched: Watched;
let base: string;
const counts = { rounds: 0, kills: 0, twice: 0, errors: 0, told: 0 };

beforeAll(async () => {
  watched = await Watched.make();
  base = campaignDirectory();
});
afterAll(() => {
  watched.remove();
  removeDirectory(base);
  process.stdout.write(
    `real processes: ${counts.rounds} rounds, ${counts.kills} killed, ${counts.twice} of them again in the recovery, ${counts.errors} failed calls, ${counts.told} of them told (seed ${SEED})\n`,
  );
});

/** The fault at the n-th change, once. */
function at(
  n: number,
  fault: Verdict,
): { readonly decide: Decide; readonly hit: () => string | null; readonly seen: () => number } {
  let hit: string | null = null;
  let seen = 0;
  return {
    decide: (call, before) => {
      seen = before + 1;
      if (before !== n) return "through";
      hit = call;
      return fault;
    },
    hit: () => hit,
    seen: () => seen,
  };
}

const names = Object.keys(STAGES);
const chosen = DEEP ? names : names.filter((_name, i) => i % DAILY === SEED % DAILY);

describe.runIf(CAN_LISTEN)(
  `a real process, ${DEEP ? `${ROUNDS} faults in every scene` : `one fault each in every ${DAILY}th scene`}, seed ${SEED}`,
  () => {
    it.each(chosen)(
      "%s: killed, or failed by the system, at one of its changes, and killed again in the recovery: nothing is lost",
      async (stage) => {
        const random = randomFrom(SEED + names.indexOf(stage));
        let calls = 40;
        for (let round = 0; round < ROUNDS; round++) {
          const name = FAULT_NAMES[(round + names.indexOf(stage) + SEED) % FAULT_NAMES.length] ?? "killed";
          const fault = at(Math.floor(random() * calls), FAULTS[name]);
          const { status, errors, scene, parent } = await watched.play(stage, base, fault.decide);
          const where = `${name} at change ${fault.seen()} (${fault.hit()}), round ${round}`;
          counts.rounds++;
          calls = fault.hit() === null || fault.seen() > calls ? fault.seen() : calls + 40;
          if (name === "killed" && fault.hit() !== null) {
            counts.kills++;
            await again(scene.folder, random);
          } else {
            if (fault.hit() !== null) counts.errors++;
            if (status === 3) counts.told++;
            expect([status, errors], where).toEqual([expect.toBeOneOf(fault.hit() === null ? [0] : [0, 3]), ""]);
          }
          expectWhole(scene, await plainAfterRecovery(watched.person, scene.folder), where, "but its time");
          removeDirectory(parent);
        }
      },
    );
  },
);

/** What puts it right is killed, too. */
async function again(folder: string, random: () => number): Promise<void> {
  const located = locateFolder(linuxDisk, Buffer.from(folder), FOLDER)?.realPath ?? Buffer.from(folder);
  const fault = at(Math.floor(random() * 25), "kill");
  await watched.recover(located, fault.decide);
  if (fault.hit() !== null) counts.twice++;
}
