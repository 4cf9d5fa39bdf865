import * as fs from "node:fs";
import * as path from "node:path";
import * as z from "zod";
import { EremosError, type OwnerEnvelope, fromBase64, isRootKeyOf, systemCode, toBase64, wipe } from "@eremos/core";
import { said } from "@eremos/words/server/house";

const schema = z.strictObject({ owner: z.string(), rootKey: z.string() });

/**
 * The key of an owner who chose to stay signed in: in a file of the account's own, readable by it alone, outside
 * Eremos' data directory. Whoever can read this account's files has it: this account's programs, an administrator,
 * whoever holds the disk. The table of who sees what says so.
 */
export class Stay {
  /** After signing out oneself, not before the next sign-in. */
  private paused = false;

  constructor(private readonly directory: string) {}

  private fileOf({ owner }: OwnerEnvelope): string {
    return path.join(this.directory, `stay-signed-in-${owner}.json`);
  }

  isOn(owner: OwnerEnvelope): boolean {
    return fs.existsSync(this.fileOf(owner));
  }

  /** Whether somebody of this account gets in without a password now. */
  isWaiting(owner: OwnerEnvelope): boolean {
    return !this.paused && this.isOn(owner);
  }

  get isPaused(): boolean {
    return this.paused;
  }

  pause(paused: boolean): void {
    this.paused = paused;
  }

  /** @throws EremosError `data-unwritable` */
  turnOn(owner: OwnerEnvelope, rootKey: Uint8Array): void {
    const file = this.fileOf(owner);
    const beside = `${file}.${process.pid}.new`;
    try {
      fs.mkdirSync(this.directory, { recursive: true, mode: 0o700 });
      fs.rmSync(beside, { force: true });
      fs.writeFileSync(beside, JSON.stringify({ owner: owner.owner, rootKey: toBase64(rootKey) }), {
        mode: 0o600,
        flag: "wx",
      });
      fs.renameSync(beside, file);
    } catch (error) {
      throw new EremosError(
        "data-unwritable",
        said("eremos-cant-keep-your-key", {
          directory: this.directory,
          code: systemCode(error) ?? String(error),
        }),
      );
    }
  }

  /** Overwritten first, which on a disk that writes elsewhere each time does not help: changing the keys does. */
  turnOff(owner: OwnerEnvelope): void {
    const file = this.fileOf(owner);
    if (!this.isOn(owner)) return;
    fs.writeFileSync(file, "0".repeat(fs.statSync(file).size), { flag: "r+" });
    fs.rmSync(file);
  }

  /** The root key, or null where the file is not this owner's, or open to others. The caller wipes it. */
  rootKey(owner: OwnerEnvelope): Buffer | null {
    const file = this.fileOf(owner);
    const stat = fs.lstatSync(file, { throwIfNoEntry: false });
    if (!stat?.isFile() || (stat.mode & 0o077) !== 0 || stat.uid !== process.geteuid?.()) return null;
    const parsed = schema.safeParse(parse(fs.readFileSync(file, "utf8")));
    if (!parsed.success || parsed.data.owner !== owner.owner) return null;
    const rootKey = fromBase64(parsed.data.rootKey, 32);
    if (isRootKeyOf(owner, rootKey)) return rootKey;
    wipe(rootKey);
    return null;
  }
}

function parse(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return null;
  }
}
