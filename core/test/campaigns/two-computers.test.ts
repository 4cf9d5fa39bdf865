import * as fs from "node:fs";
import * as path from "node:path";
import { expect, it } from "vitest";
import { randomBytes } from "../../src/crypto/bytes";
import { isEremosError } from "../../src/errors/eremos-error";
import { forksAt, letForkGo } from "../../src/engine/visiting/forks";
import { silentHooks } from "../../src/engine/ground/hooks";
import type { OpenNote } from "../../src/engine/contents/sealing-input";
import { compareCopy, mergeCopy } from "../../src/engine/visiting/merge-copy";
import { Visit, type VisitInput } from "../../src/engine/visiting/visit";
import { joinIn } from "../../src/engine/records/states";
import { holdFolder, letGo } from "../../src/engine/ground/own-dir";
import { linuxDiskOf } from "../../src/platform/linux/linux-disk";
import type { Disk } from "../../src/platform/port";
import { directorySource } from "../../src/rescue/directory-source";
import type { RescueSecret } from "../../src/rescue/keys-of-folder";
import { openLocked } from "../../src/rescue/locked-folder";
import { type Place, usePlace } from "../support/place";
import { campaignDirectory } from "../support/scenes";
import { type Dice, SyncProgram, shuffled } from "../support/sync-program";
import { account, put } from "../support/visiting";
import { SEED, randomFrom } from "../support/stride";
import { lock, unlock } from "../support/world";

/**
 * Two computers of one owner at work in one folder that a program keeps in step. What either has locked, and the owner
 * has not removed or replaced where it was in sight, is there in the end on both: in the folder, or in a state beside
 * it that is shown.
 */
let place: Place;
usePlace((given) => (place = given), campaignDirectory);

const secret = (): RescueSecret => ({
  kind: "root",
  rootKey: place.person.access.rootKey,
  folder: null,
  devices: place.person.access.devices,
});

class Computer {
  /** What its list knows of the folder. */
  private expected: VisitInput["expected"] = null;
  private header: Buffer | null = null;
  private note: OpenNote | null = null;
  /** Contents that this computer had in sight when it removed or replaced them. */
  readonly letGo = new Set<string>();
  readonly locked = new Set<string>();
  /** Written since it was opened. */
  private written: string[] = [];
  private removed: string[] = [];

  constructor(
    readonly folder: string,
    readonly disk: Disk,
    private readonly dice: Dice,
    private readonly keepEarlier: number,
  ) {}

  get isOpen(): boolean {
    return this.note !== null;
  }

  private get input(): VisitInput {
    return {
      path: Buffer.from(this.folder),
      access: place.person.access,
      keptHeader: this.header,
      expected: this.expected,
      accept: [],
      account,
      keepEarlier: this.keepEarlier,
    };
  }

  async lock(id: string | null = null): Promise<string> {
    const outcome = await lock(this.folder, this.dice() < 0.7 ? place.person.owner : place.person.device, {
      disk: this.disk,
      note: this.note,
      keepEarlier: this.keepEarlier,
      ...(this.header ? { keptHeader: this.header } : {}),
      ...(id === null ? {} : { folder: id }),
    });
    this.expected = { generation: outcome.generation, digest: outcome.digest };
    this.header = outcome.header;
    this.note = null;
    for (const content of this.written) this.locked.add(content);
    for (const content of this.removed) this.letGo.add(content);
    [this.written, this.removed] = [[], []];
    return outcome.folder;
  }

  async open(): Promise<void> {
    const outcome = await unlock(this.folder, place.person.access, {
      disk: this.disk,
      expected: this.expected,
      keptHeader: this.header,
    });
    this.expected = { generation: outcome.generation, digest: outcome.digest };
    this.header = outcome.header;
    this.note = outcome.note;
  }

  /** It is taken into the list. */
  joinIn(): void {
    const held = holdFolder(this.disk, Buffer.from(this.folder), { create: false });
    joinIn(this.disk, held.ownDir);
    letGo(this.disk, held);
  }

  /** Somebody edits what lies open: new files, other contents, files removed. */
  edit(name: string): void {
    const files = fs.readdirSync(this.folder).filter((file) => file.startsWith("file "));
    const content = `${name} ${randomBytes(8).toString("hex")}`;
    const [one] = shuffled(files, this.dice);
    const what = this.dice();
    if (one !== undefined && what < 0.5)
      this.removed.push(...this.takeFrom(fs.readFileSync(path.join(this.folder, one), "utf8")));
    if (one !== undefined && what < 0.2) return fs.rmSync(path.join(this.folder, one));
    fs.writeFileSync(path.join(this.folder, one !== undefined && what < 0.5 ? one : `file ${name}`), content);
    this.written.push(content);
  }

  /** What was only written since the opening, and is gone again, was never locked. */
  private takeFrom(content: string): string[] {
    const at = this.written.indexOf(content);
    if (at < 0) return [content];
    this.written.splice(at, 1);
    return [];
  }

  async visit(name: string): Promise<void> {
    const visit = await Visit.open(this.disk, this.input);
    const content = `${name} ${randomBytes(8).toString("hex")}`;
    try {
      for (const one of [`${name} a`, `${name} b`]) {
        put(visit, [], `file ${one}`, Buffer.from(`${one} ${content}`));
        visit.commit();
        this.locked.add(`${one} ${content}`);
      }
    } finally {
      visit.close();
      this.expected = visit.committed;
    }
  }

  forks(): ReturnType<typeof forksAt> {
    return forksAt(this.disk, Buffer.from(this.folder));
  }

  /** As the folder's page offers: everything that the other state has, then that is let go. */
  async merge(): Promise<void> {
    const [fork] = this.forks().filter(({ isNewer }) => !isNewer);
    if (!fork) return;
    const own = { copy: Buffer.from(this.folder), secret: secret(), fork: fork.name };
    const { differences } = await compareCopy(this.disk, own, Buffer.from(this.folder));
    const merged = await mergeCopy(
      this.disk,
      { ...own, original: this.input, paths: differences.map(({ path: parts }) => parts) },
      silentHooks,
    );
    expect(merged.damaged).toEqual([]);
    this.expected = merged;
    this.expected = await letForkGo(this.disk, this.input, fork.name);
  }

  /** Contents of files in the folder, and in each state beside it that is shown. */
  async contents(): Promise<Set<string>> {
    const found = new Set<string>();
    const whole = this.forks().filter(({ arrival: { arrived, pieces } }) => pieces > 0 && arrived === pieces);
    for (const fork of [null, ...whole.map(({ name }) => name)]) {
      const opened = await openLocked(directorySource(Buffer.from(this.folder)), secret(), fork);
      expect(opened.problems).toEqual([]);
      for (const entry of opened.entries) {
        if (entry.kind !== "file") continue;
        const pieces: Buffer[] = [];
        for await (const { bytes } of opened.read(entry)) pieces.push(Buffer.from(bytes ?? Buffer.from("damaged")));
        found.add(Buffer.concat(pieces).toString("utf8"));
      }
      opened.close();
    }
    return found;
  }
}

/** What may stop a computer for now: pieces are on their way. */
function isForNow(error: unknown): boolean {
  // What was to be merged may be part of a newer state that was taken up first.
  return isEremosError(error) && ["arriving", "not-found"].includes(error.code);
}

const DEEP = process.env["EREMOS_DEEP"] === "1";
const SEEDS = Number(process.env["EREMOS_SEEDS"] ?? (DEEP ? 300 : 4));

it.each(Array.from({ length: SEEDS }, (_, at) => SEED + at))(
  "work on both sides between any steps of a program that keeps them in step loses nothing that was locked, and shows every fork, seed %i",
  async (seed) => {
    const dice = randomFrom(seed);
    const keepEarlier = Math.floor(dice() * 3);
    const [one, two] = [path.join(place.base, "one"), path.join(place.base, "two")];
    fs.mkdirSync(one);
    for (const name of ["file a", "file b", "file c"]) fs.writeFileSync(path.join(one, name), `begin ${name}`);
    const left = new Computer(one, linuxDiskOf(Buffer.alloc(32, 1)), dice, keepEarlier);
    const right = new Computer(two, linuxDiskOf(Buffer.alloc(32, 2)), dice, keepEarlier);
    const id = await left.lock();
    fs.mkdirSync(two);
    const program = new SyncProgram(
      [one, two],
      dice,
      (file) => [".eremos/lock", ".eremos/staging"].includes(file) || !file.startsWith(".eremos"),
    );
    while (program.run(1) > 0);
    right.joinIn();
    while (program.run(1) > 0);
    const computers = [left, right];
    for (let step = 0; step < 24; step++) {
      const computer = computers[dice() < 0.5 ? 0 : 1] as Computer;
      const name = `${computer === left ? "left" : "right"} ${step}`;
      const what = dice();
      try {
        if (what < 0.35) program.run(dice() < 0.3 ? 1 : dice());
        else if (computer.isOpen) {
          computer.edit(name);
          if (what < 0.85) await computer.lock(id);
        } else if (what < 0.75) {
          await computer.open();
          computer.edit(name);
          if (dice() < 0.7) await computer.lock(id);
        } else if (what < 0.9) await computer.visit(name);
        else await computer.merge();
      } catch (error) {
        if (!isForNow(error)) throw error;
      }
    }
    for (const computer of computers) if (computer.isOpen) await computer.lock(id);
    for (let round = 0; program.run(1) > 0; round++) expect(round).toBeLessThan(10);
    const gone = new Set([...left.letGo, ...right.letGo]);
    for (const computer of computers) {
      const contents = await computer.contents();
      const missing = [...left.locked, ...right.locked].filter(
        (content) => !contents.has(content) && !gone.has(content),
      );
      expect([computer === left ? "left" : "right", missing]).toEqual([computer === left ? "left" : "right", []]);
    }
    // With nothing more at work, one more opening on each side, and the program in between, leads both to the same
    // state, or shows what stands against it.
    for (const computer of computers) {
      await computer.open();
      await computer.lock(id);
      while (program.run(1) > 0);
    }
    for (const computer of computers) {
      const contents = await computer.contents();
      expect(
        [...left.locked, ...right.locked].filter((content) => !contents.has(content) && !gone.has(content)),
      ).toEqual([]);
    }
  },
);
