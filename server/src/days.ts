import * as fs from "node:fs";
import * as z from "zod";
import { CLOCKS, type Clocks } from "./steady-clock";

/**
 * Days as Eremos counts them, for what is kept for so many of them: a clock that jumps ahead never makes them fewer than
 * promised. Between two looks of a process at most the time passes that its steady clock counted; between two processes
 * at most a day. So a computer that is off for a week counts one day of it: things are kept longer then, never shorter.
 */
const storedSchema = z.strictObject({ days: z.number().nonnegative(), at: z.number() });

const DAY_MS = 24 * 3600 * 1000;

export class Days {
  private steadyAt: number | null = null;

  constructor(
    private readonly path: string,
    private readonly clocks: Clocks = CLOCKS,
  ) {}

  /** Days until now, from when the first look was. */
  now(): number {
    const { days, at } = this.stored() ?? { days: 0, at: this.clocks.wall() };
    const steady = this.clocks.steady();
    const most = this.steadyAt === null ? DAY_MS : steady - this.steadyAt;
    this.steadyAt = steady;
    const passed = Math.max(0, Math.min(this.clocks.wall() - at, most));
    const now = days + passed / DAY_MS;
    this.store({ days: now, at: this.clocks.wall() });
    return now;
  }

  private stored(): z.output<typeof storedSchema> | null {
    try {
      return storedSchema.parse(JSON.parse(fs.readFileSync(this.path, "utf8")));
    } catch {
      return null;
    }
  }

  /** What can't be written is counted again: nothing goes earlier for it. */
  private store(now: z.output<typeof storedSchema>): void {
    try {
      fs.writeFileSync(`${this.path}.new`, `${JSON.stringify(now)}\n`, { mode: 0o600 });
      fs.renameSync(`${this.path}.new`, this.path);
    } catch {
      // As above.
    }
  }
}
