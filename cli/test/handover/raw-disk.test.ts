import { spawnSync } from "node:child_process";
import * as fs from "node:fs";
import * as os from "node:os";
import * as path from "node:path";
import { afterEach, describe, expect, it } from "vitest";
import { CAN_MOUNT, Drive } from "../../../core/test/support/mounts";
import { chooseWithLeastEffort } from "../../../server/test/least-effort";
import { CLI } from "../command-line";

const PASSWORD = "violin varnish at dusk";
const PACKAGE_PASSWORD = "seven lamps along the quay";
/** Nowhere but in what is handed over: contents, and a name. */
const SECRET = Buffer.from("what nobody else is to read of the Appraisals, 0123456789");
const NAME = "Marmalade and quince.txt";

let drive: Drive | null = null;
let outside = "";
afterEach(() => {
  drive?.remove();
  fs.rmSync(outside, { recursive: true, force: true });
});

describe.runIf(CAN_MOUNT)("Handing over and receiving, on a real file system searched raw", () => {
  it.each(["page", "zip", "folder"])(
    "%s: neither while it is made of a locked folder nor once it was received into another does any of it stand readable on the device",
    async (as) => {
      drive = new Drive("ext4", 128);
      const on = drive;
      outside = fs.mkdtempSync(path.join(os.tmpdir(), "eremos-outside-"));
      const source = path.join(outside, NAME);
      fs.writeFileSync(source, Buffer.alloc(3_000_000, SECRET));
      const [world, data] = [path.join(on.at, "world"), path.join(on.at, "data")];
      fs.mkdirSync(world);
      await chooseWithLeastEffort(data, world, PASSWORD);
      const env = { ...process.env, EREMOS_DATA: data, EREMOS_PLACES: `${world}:${outside}`, TMPDIR: on.at };
      const eremos = (words: readonly string[], ...passwords: string[]): void => {
        const input = passwords.map((one) => `${one}\n`).join("");
        const flags = passwords.length > 0 ? ["--password-stdin"] : [];
        const { status, stderr } = spawnSync("node", [CLI, ...words, ...flags], { env, input, encoding: "utf8" });
        expect(status, stderr).toBe(0);
      };
      const raw = (): number =>
        [SECRET, Buffer.from(NAME), Buffer.from(NAME, "utf16le")].reduce((sum, text) => sum + on.countRaw(text), 0);
      const at = (name: string): string => path.join(world, name);

      // In it without ever having lain there.
      eremos(["hand-over", source, "--plain", "--to", at("first")], PACKAGE_PASSWORD);
      eremos(["receive", at("first"), "--lock", "--to", at("Letters")], PASSWORD, PACKAGE_PASSWORD);
      expect(raw()).toBe(0);
      const hiding = as === "zip" ? ["--hide-names"] : [];
      eremos(["hand-over", at("Letters"), "--as", as, ...hiding, "--to", at("package")], PASSWORD, PACKAGE_PASSWORD);
      expect(raw()).toBe(0);
      if (as === "folder") eremos(["recover", at("package/Letters")], PASSWORD, PACKAGE_PASSWORD);
      else eremos(["receive", at("package"), "--lock", "--to", at("Theirs")], PASSWORD, PACKAGE_PASSWORD);
      expect(raw()).toBe(0);
      // Received readable, it is: the search would have found it.
      const theirs = as === "folder" ? at("package/Letters") : at("Theirs");
      eremos(["unlock", theirs], PASSWORD);
      expect(fs.readdirSync(theirs, { recursive: true }).map(String).join("\n")).toContain(NAME);
      expect(on.countRaw(SECRET)).toBeGreaterThan(10_000);
    },
  );
});
