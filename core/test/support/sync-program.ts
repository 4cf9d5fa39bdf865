import { createHash } from "node:crypto";
import * as fs from "node:fs";
import * as path from "node:path";

/** Seeded: from 0 up to 1. */
export type Dice = () => number;

/**
 * A program that keeps two directories in step, as such programs do: file by file, in any order, each file whole, only
 * some of them at a time; deletions travel; where both sides changed a file, one of them keeps its name and the other
 * goes on under another.
 */
export class SyncProgram {
  /** What both sides had of a file when it was last brought in step: a digest by its path. */
  private readonly known = new Map<string, string>();
  private conflicts = 0;

  constructor(
    private readonly sides: readonly [string, string],
    private readonly dice: Dice,
    private readonly isLeftAlone: (file: string) => boolean,
  ) {}

  /** Brings each file that differs in step with this chance. Returns how many still differ. */
  run(chance: number): number {
    const [left, right] = this.sides.map((side) => this.filesOf(side)) as [Map<string, string>, Map<string, string>];
    const differing = [...new Set([...left.keys(), ...right.keys(), ...this.known.keys()])].filter(
      (file) => left.get(file) !== right.get(file) || left.get(file) !== this.known.get(file),
    );
    let waiting = 0;
    for (const file of shuffled(differing, this.dice)) {
      if (this.dice() < chance) this.bringInStep(file, left.get(file), right.get(file));
      else waiting++;
    }
    return waiting + (chance === 1 ? this.conflictsSince() : 0);
  }

  private before = 0;
  /** A file under another name has to travel, too. */
  private conflictsSince(): number {
    const more = this.conflicts - this.before;
    this.before = this.conflicts;
    return more;
  }

  private bringInStep(file: string, left: string | undefined, right: string | undefined): void {
    const known = this.known.get(file);
    if (left !== right) {
      if (right === known) this.carry(0, file, left);
      else if (left === known) this.carry(1, file, right);
      // Changed on one side and removed on the other: the change counts.
      else if (left === undefined) this.carry(1, file, right);
      else if (right === undefined) this.carry(0, file, left);
      else this.settleConflict(file, left, right);
    }
    const now = left === right ? left : this.digestAt(0, file);
    if (now === undefined) this.known.delete(file);
    else this.known.set(file, now);
  }

  private settleConflict(file: string, left: string, right: string): void {
    const winner = this.dice() < 0.5 ? 0 : 1;
    const loser = winner === 0 ? 1 : 0;
    const { dir, name, ext } = path.parse(file);
    fs.renameSync(
      path.join(this.sides[loser], file),
      path.join(this.sides[loser], dir, `${name} (conflict ${++this.conflicts})${ext}`),
    );
    this.carry(winner, file, winner === 0 ? left : right);
  }

  /** From this side to the other one. */
  private carry(from: 0 | 1, file: string, content: string | undefined): void {
    const [source, target] = [path.join(this.sides[from], file), path.join(this.sides[from === 0 ? 1 : 0], file)];
    if (content === undefined) {
      fs.rmSync(target, { force: true });
      for (
        let dir = path.dirname(target);
        dir.length > this.sides[1].length && fs.readdirSync(dir).length === 0;
        dir = path.dirname(dir)
      )
        fs.rmdirSync(dir);
      return;
    }
    fs.mkdirSync(path.dirname(target), { recursive: true, mode: 0o700 });
    fs.cpSync(source, `${target}.arriving`, { preserveTimestamps: true });
    fs.renameSync(`${target}.arriving`, target);
  }

  private filesOf(side: string): Map<string, string> {
    const files = new Map<string, string>();
    const walk = (dir: string): void => {
      for (const entry of fs.readdirSync(path.join(side, dir), { withFileTypes: true })) {
        const file = path.join(dir, entry.name);
        if (this.isLeftAlone(file)) continue;
        if (entry.isDirectory()) walk(file);
        else if (entry.isFile()) files.set(file, digestOf(path.join(side, file)));
      }
    };
    walk("");
    return files;
  }

  private digestAt(side: 0 | 1, file: string): string | undefined {
    const at = path.join(this.sides[side], file);
    return fs.existsSync(at) ? digestOf(at) : undefined;
  }
}

function digestOf(file: string): string {
  return createHash("sha1").update(fs.readFileSync(file)).digest("hex");
}

export function shuffled<T>(items: readonly T[], dice: Dice): T[] {
  return items
    .map((item) => ({ item, at: dice() }))
    .sort((a, b) => a.at - b.at)
    .map(({ item }) => item);
}
