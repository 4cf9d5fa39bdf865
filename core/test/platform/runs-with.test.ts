import { spawn } from "node:child_process";
import { expect, it } from "vitest";
import { linuxDisk } from "../../src/platform/linux/linux-disk";

it("a program is known by what stands in its environment, whatever it has become since, until it has ended", async () => {
  const runs = (value: string): boolean => linuxDisk.runsWith(`EREMOS_TEST_OF=${value}`);
  expect(runs("a program")).toBe(false);
  const shell = spawn("sh", ["-c", "exec sleep 60"], {
    env: { ...process.env, EREMOS_TEST_OF: "a program" },
    stdio: "ignore",
  });
  await expect.poll(() => runs("a program")).toBe(true);
  expect(["a", "a program ", "program"].map(runs)).toEqual([false, false, false]);
  const ended = new Promise((resolve) => shell.once("exit", resolve));
  shell.kill();
  await ended;
  expect(runs("a program")).toBe(false);
});
