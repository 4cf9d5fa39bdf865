import * as fs from "node:fs";
import * as os from "node:os";
import * as path from "node:path";
import { fileURLToPath } from "node:url";
import type { Protection, Visibility } from "../src/contract";
import { Eremos } from "../src/eremos";
import { setupAtOnce } from "../src/operations/setup";
import { signIn, signOut } from "../src/operations/sign-in";
import { readSettings } from "../src/settings";

const PROGRAM = fileURLToPath(new URL("../..", import.meta.url)).replace(/\/$/, "");
export function sealedAnd(visibility: Visibility): Protection {
  return { guard: "sealed", visibility, cover: null, icon: null, bars: null };
}

export const PASSWORD = "violin varnish at dusk";

/** One Eremos with a place and a data directory of its own, set up and signed out. */
export class TestHouse {
  readonly base = fs.realpathSync(fs.mkdtempSync(path.join(os.tmpdir(), "eremos-house-")));
  readonly world = path.join(this.base, "world");
  readonly data = path.join(this.base, "data");
  eremos: Eremos;
  /** The recovery code. */
  code = "";

  private constructor() {
    fs.mkdirSync(this.world);
    this.eremos = this.open();
  }

  static async make(): Promise<TestHouse> {
    const house = new TestHouse();
    ({ recoveryCode: house.code } = await setupAtOnce(house.eremos, { password: PASSWORD, hint: null, effort: "light" }));
    signOut(house.eremos);
    return house;
  }

  private open(): Eremos {
    return Eremos.open(readSettings({ EREMOS_DATA: this.data, EREMOS_PLACES: this.world, XDG_CONFIG_HOME: path.join(this.base, "config") }, PROGRAM));
  }

  signIn(): Promise<{ failedTries: number }> {
    return signIn(this.eremos, PASSWORD);
  }

  /** As after a restart: nothing is in memory any more. */
  restart(): void {
    this.eremos.close();
    this.eremos = this.open();
  }

  /** As on another computer, or where Eremos' data was deleted: the disk is all there is. */
  loseData(): void {
    this.eremos.close();
    fs.rmSync(this.data, { recursive: true });
    this.eremos = this.open();
  }

  makeFolder(name: string, files: Readonly<Record<string, string>> = { "letter.txt": "Dear Jonas" }): string {
    const folder = path.join(this.world, name);
    fs.mkdirSync(folder, { recursive: true });
    for (const [file, content] of Object.entries(files)) fs.writeFileSync(path.join(folder, file), content);
    return folder;
  }

  remove(): void {
    this.eremos.close();
    fs.rmSync(this.base, { recursive: true, force: true });
  }
}
