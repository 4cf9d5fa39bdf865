/**
 * A stand-in for a removable drive, for the demo and its tests: a directory that is taken out of the world and put back
 * in, at the same place or another, with a table of what is mounted in the form of the system's own (proc_mounts(5)).
 * Needs no rights; what it holds is an ordinary directory.
 */
import { existsSync, mkdirSync, readFileSync, renameSync, writeFileSync } from "node:fs";
import { dirname, join } from "node:path";

const escaped = (path) =>
  path.replace(/[ \t\n\\]/g, (character) => `\\${character.charCodeAt(0).toString(8).padStart(3, "0")}`);
const unescaped = (text) => text.replace(/\\(\d{3})/g, (_all, octal) => String.fromCharCode(parseInt(octal, 8)));

export class StandInDrive {
  constructor(table, drawer) {
    this.table = table;
    this.drawer = drawer;
  }

  /** Where it is now; null while it is in the drawer. */
  get at() {
    const line = existsSync(this.table) ? readFileSync(this.table, "utf8").trim() : "";
    return line === "" ? null : unescaped(line.split(" ")[1] ?? "");
  }

  /** A directory becomes the drive. */
  mark(path) {
    writeFileSync(this.table, `stick ${escaped(path)} stand-in rw 0 0\n`);
  }

  takeOut() {
    const { at } = this;
    if (at === null) throw new Error("The stick is in the drawer already.");
    mkdirSync(dirname(this.drawer), { recursive: true });
    renameSync(at, this.drawer);
    writeFileSync(this.table, "");
  }

  putIn(path) {
    if (this.at !== null) throw new Error(`The stick is at ${this.at} already.`);
    if (existsSync(path)) throw new Error(`Something else is at ${path}.`);
    renameSync(this.drawer, path);
    this.mark(path);
  }
}

export function demoStick(demo) {
  return new StandInDrive(join(demo, "mounts"), join(demo, "drawer", "stick"));
}
