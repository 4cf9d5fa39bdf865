import * as fs from "node:fs";
import * as os from "node:os";
import * as path from "node:path";
import type { ActivityEvent, Protection, Visibility } from "../src/contract";
import { Eremos } from "../src/eremos";
import { type GateOpened, signIn } from "../src/operations/entrance/sign-in";
import { readSettings } from "../src/settings";
import { PROGRAM, chooseWithLeastEffort } from "./least-effort";

export function sealedAnd(visibility: Visibility): Protection {
  return { guard: "sealed", visibility, cover: null, icon: null, bars: null };
}

export const PASSWORD = "violin varnish at dusk";

/**
 * Choosing a master password takes a while by design: the tests of a file begin with copies of one that was chosen
 * once.
 */
let chosen: { readonly data: string; readonly code: string } | null = null;

async function chooseOnce(): Promise<{ readonly data: string; readonly code: string }> {
  if (chosen) return chosen;
  const data = fs.mkdtempSync(path.join(os.tmpdir(), "eremos-chosen-"));
  process.once("exit", () => fs.rmSync(data, { recursive: true, force: true }));
  const code = await chooseWithLeastEffort(data, os.tmpdir(), PASSWORD);
  return (chosen = { data, code });
}

/** What was written down, the newest first; who came and went is left out. */
export function toldOf(eremos: Eremos): ActivityEvent[] {
  return eremos.registry.log
    .all(eremos.requireKeys())
    .filter(({ kind }) => kind !== "signed-in" && kind !== "signed-out")
    .reverse();
}

/** One Eremos with a place and a data directory of its own, set up and signed out. */
export class TestHouse {
  readonly base = fs.realpathSync(fs.mkdtempSync(path.join(os.tmpdir(), "eremos-house-")));
  readonly world = path.join(this.base, "world");
  readonly data = path.join(this.base, "data");
  eremos: Eremos;
  /** The recovery code. */
  code = "";

  private constructor(from: string) {
    fs.mkdirSync(this.world);
    fs.cpSync(from, this.data, { recursive: true });
    this.eremos = this.open();
  }

  static async make(): Promise<TestHouse> {
    const { data, code } = await chooseOnce();
    const house = new TestHouse(data);
    house.code = code;
    return house;
  }

  private open(): Eremos {
    return Eremos.open(
      readSettings(
        { EREMOS_DATA: this.data, EREMOS_PLACES: this.world, XDG_CONFIG_HOME: path.join(this.base, "config") },
        PROGRAM,
      ),
    );
  }

  signIn(): Promise<GateOpened> {
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
