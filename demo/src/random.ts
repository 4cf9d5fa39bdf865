/** A small seeded generator (mulberry32): the demo world is the same on every machine. */
export class Seeded {
  constructor(private state: number) {}

  /** 0 (included) to 1 (excluded). */
  next(): number {
    this.state = (this.state + 0x6d2b79f5) | 0;
    let t = Math.imul(this.state ^ (this.state >>> 15), 1 | this.state);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
  }

  whole(from: number, to: number): number {
    return from + Math.floor(this.next() * (to - from + 1));
  }

  pick<T>(items: readonly T[]): T {
    const item = items[Math.floor(this.next() * items.length)];
    if (item === undefined) throw new RangeError("nothing to pick from");
    return item;
  }
}
