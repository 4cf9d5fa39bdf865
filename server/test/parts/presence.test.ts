import { spawn } from "node:child_process";
import { once } from "node:events";
import * as fs from "node:fs";
import * as os from "node:os";
import * as path from "node:path";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { linuxDisk } from "../../../core/src/platform/linux/linux-disk";
import { Presence } from "../../src/presence";

let directory: string;
beforeEach(() => {
  directory = path.join(fs.mkdtempSync(path.join(os.tmpdir(), "eremos-presence-")), "at-work");
  fs.mkdirSync(directory);
});
afterEach(() => fs.rmSync(path.dirname(directory), { recursive: true }));

describe("whether a process is still at work", () => {
  it("is known from its first work to its end, and leaves nothing behind", () => {
    const [one, other] = [new Presence(linuxDisk, directory), new Presence(linuxDisk, directory)];
    expect(other.isAtWork(one.name)).toBe(false);
    one.begin();
    other.begin();
    expect(other.isAtWork(one.name)).toBe(true);
    one.close();
    expect(other.isAtWork(one.name)).toBe(false);
    other.close();
    expect(fs.readdirSync(directory)).toEqual([]);
  });

  it("is begun though another that clears away takes the new file first", () => {
    let taken = 0;
    const busy = new Proxy(linuxDisk, {
      get: (disk, name: keyof typeof linuxDisk) => (name === "tryLock" && taken++ < 2 ? () => null : disk[name]),
    });
    const presence = new Presence(busy, directory);
    presence.begin();
    expect(new Presence(linuxDisk, directory).isAtWork(presence.name)).toBe(true);
    presence.close();
  });

  it("is over when it is killed, and what it left goes when another begins", async () => {
    const file = path.join(directory, "f".repeat(32));
    const killed = spawn("flock", [file, "sleep", "1000"], { detached: true, stdio: "ignore" });
    const here = new Presence(linuxDisk, directory);
    await expect.poll(() => here.isAtWork("f".repeat(32))).toBe(true);
    here.begin();
    expect(fs.readdirSync(directory)).toHaveLength(2);
    process.kill(-(killed.pid ?? 0), "SIGKILL");
    await once(killed, "exit");
    await expect.poll(() => here.isAtWork("f".repeat(32))).toBe(false);
    const next = new Presence(linuxDisk, directory);
    next.begin();
    expect(fs.readdirSync(directory).sort()).toEqual([here.name, next.name].sort());
    for (const presence of [here, next]) presence.close();
  });

  it("ends though its directory is gone, or answers with errors; and what can't be asked is not taken for over", () => {
    let isBroken = false;
    const broken = new Proxy(linuxDisk, {
      get: (disk, name: keyof typeof linuxDisk) =>
        isBroken && name === "openRoot"
          ? () => {
              throw Object.assign(new Error("EIO"), { code: "EIO" });
            }
          : disk[name],
    });
    const [one, gone] = [new Presence(broken, directory), new Presence(linuxDisk, directory)];
    one.begin();
    gone.begin();
    isBroken = true;
    expect(one.isAtWork(gone.name)).toBe(true);
    expect(() => one.close()).not.toThrow();
    fs.rmSync(directory, { recursive: true });
    expect(() => gone.close()).not.toThrow();
  });

  it("is not asked where nothing can be written, and nothing fails for that", () => {
    fs.rmdirSync(directory);
    fs.writeFileSync(directory, "a file in its place");
    const presence = new Presence(linuxDisk, directory);
    expect(() => presence.begin()).not.toThrow();
    expect(presence.isAtWork(presence.name)).toBe(false);
    presence.close();
  });
});
