import * as fs from "node:fs";
import * as path from "node:path";
import { afterEach, beforeEach, expect, it } from "vitest";
import { errorOf, failureOf, fromSystemError, stopped } from "../../src/errors/eremos-error";
import { type Fault, noteFaultsBy } from "../../src/errors/faults";
import { usePlace } from "../support/place";
import { type Person, lock, snapshot, unlock } from "../support/world";
import type { Said } from "@eremos/words";

/** A sentence of the tests' own. */
const saidOf = (text: string): Said => ({ id: "test", values: {}, text });

/** A fault of the program's own is told as one, promises nothing, and is noted without a word of what it was about. */
let person: Person;
let folder: string;
usePlace((place) => ({ person, folder } = place));
let noted: Fault[];
beforeEach(() => {
  noted = [];
  noteFaultsBy((fault) => noted.push(fault));
});
afterEach(() => noteFaultsBy(() => undefined));

it("a fault in the middle of a lock is told as internal and noted with its place, not its words; the folder is as it was and locks", async () => {
  fs.writeFileSync(path.join(folder, "Salaries 2026"), "4200");
  const before = snapshot(folder);
  const failing = lock(folder, person.owner, {
    hooks: {
      cancelled: () => false,
      progress: ({ phase }) => {
        if (phase === "making-durable") throw new RangeError(`no such thing as ${folder}/Salaries 2026`);
      },
    },
  });
  const error = await failing.then(
    () => null,
    (caught: unknown) => caught,
  );
  expect(error).toMatchObject({ code: "internal", class: "failed" });
  expect(String(error)).not.toMatch(/Nothing is lost|no such thing|check the disk/);
  expect(noted).toHaveLength(1);
  expect(noted[0]?.kind).toBe("RangeError");
  expect(noted[0]?.frames[0]).toMatch(/faults\.test\.ts:\d+:\d+$/);
  expect(JSON.stringify(noted)).not.toMatch(/Salaries|no such thing|\//);
  expect(snapshot(folder)).toEqual(before);
  await lock(folder, person.owner);
  await unlock(folder, person.access);
  expect(snapshot(folder, { withoutOwnDir: true })).toEqual(before);
});

it("what Node itself refuses is a fault, a number of the system's is none", () => {
  const refusedByNode = ((): unknown => {
    try {
      return Buffer.alloc(4).readBigUInt64LE(0);
    } catch (error) {
      return error;
    }
  })();
  expect(fromSystemError(refusedByNode, saidOf("reading; nothing was changed"))).toMatchObject({ code: "internal" });
  expect(fromSystemError(refusedByNode, saidOf("reading; nothing was changed")).message).not.toContain(
    "nothing was changed",
  );
  expect(stopped(refusedByNode, (because) => saidOf(`It stopped because ${because}. All is well.`)).message).toContain(
    "a fault of Eremos' own",
  );
  noted = [];
  expect(fromSystemError(Object.assign(new Error("EIO: read"), { code: "EIO" }), saidOf("reading")).code).toBe("io");
  expect(fromSystemError(Object.assign(new Error("ENOSPC: write"), { code: "ENOSPC" }), saidOf("writing")).code).toBe(
    "no-space",
  );
  expect(noted).toEqual([]);
});

it("the fault of another thread is noted by the one that waits for it", () => {
  const failure = structuredClone(failureOf(new TypeError("x is not a function"), saidOf("working")));
  noted = [];
  expect(errorOf(failure)).toMatchObject({ code: "internal", said: failure.said, message: failure.said.text });
  expect(noted).toEqual([failure.fault]);
});

it("an error comes out of another process with what caused it, however deep", () => {
  const disk = fromSystemError(Object.assign(new Error("EIO: read"), { code: "EIO" }), saidOf("reading"));
  const outer = stopped(disk, (because) => saidOf(`It stopped because ${because}.`));
  const arrived = errorOf(structuredClone(failureOf(outer, saidOf("working"))));
  expect(arrived.cause).toMatchObject({ code: "io", said: disk.said, cause: { code: "EIO" } });
});
