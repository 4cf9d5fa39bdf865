import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { CALLS } from "../../src/calls";
import type { JobView } from "../../src/contract";
import { type Call, answer } from "../../src/http/answers";
import { TestHouse } from "../house";

let house: TestHouse;
beforeEach(async () => {
  house = await TestHouse.make();
  await house.signIn();
});
afterEach(() => house.remove());

const callBy = (signedIn: boolean): Call => ({ context: { eremos: house.eremos }, signedIn }) as Call;
const reading =
  (asked: unknown): (() => Promise<unknown>) =>
  () =>
    Promise.resolve(asked);

const JOB: JobView = {
  id: "1",
  folder: "f",
  verb: "lock",
  state: "done",
  phase: "queued",
  files: 1,
  filesTotal: 1,
  bytes: 1,
  bytesTotal: 1,
  bytesPerSecond: null,
  startedAt: 1,
  endedAt: 2,
  error: null,
  summary: null,
};

describe("a call", () => {
  it("of the owner's is refused before anything of it is read, where nobody is signed in", async () => {
    let read = 0;
    const counting = (): Promise<unknown> => Promise.resolve(read++);
    await expect(answer("folders", callBy(false), counting)).rejects.toMatchObject({ code: "needs-sign-in" });
    expect(read).toBe(0);
    await expect(answer("folders", callBy(true), reading({}))).resolves.toEqual([]);
  });

  it("that asks what the table does not have, or otherwise, reaches no operation", async () => {
    house.eremos.jobs.cancel = () => {
      throw new Error("it was reached");
    };
    for (const asked of [{}, { job: 1 }, { job: "1", more: true }, [], null, "1"])
      await expect(answer("jobs/cancel", callBy(true), reading(asked))).rejects.toMatchObject({ code: "usage" });
    await expect(answer("jobs/cancel", callBy(true), reading({ job: "1" }))).rejects.toThrow("it was reached");
  });

  it("tells of what its operation knows only what the table has", async () => {
    house.eremos.jobs.list = () => [{ ...JOB, path: "/home/anna/Adoption papers" } as JobView];
    expect(await answer("jobs", callBy(true), reading({}))).toEqual([JOB]);
    const left = { path: "/home/anna/Bills", reason: "It is away." };
    expect(CALLS["close-up"].output.parse({ jobs: [], left: [{ ...left, id: "1" }] })).toEqual({
      jobs: [],
      left: [left],
    });
  });
});
