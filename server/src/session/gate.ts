import { eq } from "drizzle-orm";
import { EremosError, isEremosError } from "@eremos/core";
import type { ChangeEvent } from "../contract";
import type { OpenDatabase } from "../database/open";
import { gate } from "../database/schema";

const ROW = 1;
const FIRST_DELAY_MS = 1000;
/** Capped, so that nobody can lock the owner out. */
const LONGEST_DELAY_MS = 5 * 60 * 1000;

/** The wait after the n-th wrong password in a row: 1 s, 2 s, 4 s, … up to five minutes. */
export function delayAfter(failures: number): number {
  return failures === 0 ? 0 : Math.min(LONGEST_DELAY_MS, FIRST_DELAY_MS * 2 ** (failures - 1));
}

/** Counts wrong passwords, in the database, so that a restart does not reset the wait. */
export class Gate {
  constructor(private readonly database: OpenDatabase, private readonly now: () => number = Date.now) {}

  private row(): typeof gate.$inferSelect {
    return this.database.orm.select().from(gate).where(eq(gate.id, ROW)).get() ?? { id: ROW, failures: 0, blockedUntil: 0, hint: null };
  }

  private write(change: Partial<typeof gate.$inferInsert>): void {
    const row = { ...this.row(), ...change };
    this.database.orm.insert(gate).values(row).onConflictDoUpdate({ target: gate.id, set: row }).run();
  }

  get failures(): number {
    return this.row().failures;
  }

  /** Milliseconds until the next try is looked at. A clock set back can't lengthen it beyond the delay itself. */
  get wait(): number {
    const { failures, blockedUntil } = this.row();
    return Math.max(0, Math.min(blockedUntil - this.now(), delayAfter(failures)));
  }

  get hint(): string | null {
    return this.row().hint;
  }

  setHint(hint: string | null): void {
    this.write({ hint });
  }

  /** @throws EremosError `too-many-tries`; the password given meanwhile is not looked at. */
  requireOpen(): void {
    const { wait } = this;
    if (wait > 0) throw new EremosError("too-many-tries", `Wait ${Math.ceil(wait / 1000)} s before the next try, because of wrong passwords before.`, { waitMs: wait });
  }

  /** Counted before the password is looked at, so that killing the process does not save a try. */
  beginTry(): void {
    const failures = this.row().failures + 1;
    this.write({ failures, blockedUntil: this.now() + delayAfter(failures) });
  }

  /** The password was wrong: the wait runs from now. Returns its milliseconds. */
  startWait(): number {
    const wait = delayAfter(this.row().failures);
    this.write({ blockedUntil: this.now() + wait });
    return wait;
  }

  /** What was begun was no try: it could not have opened anything, right or wrong. */
  withdraw(): void {
    this.write({ failures: this.row().failures - 1, blockedUntil: 0 });
  }

  /** The try was not a wrong password after all; gives back how many wrong ones there were before it. */
  succeed(): number {
    const failed = this.row().failures - 1;
    this.write({ failures: 0, blockedUntil: 0 });
    return failed;
  }
}

interface Guarded {
  readonly gate: Gate;
  announce(change: ChangeEvent): void;
}

/** Every look at a password or code goes through here: counted, and slowed down. @throws EremosError `too-many-tries`, or what `open` throws */
export async function throughGate<T>(eremos: Guarded, open: () => Promise<T>): Promise<{ opened: T; failedTries: number }> {
  const { gate } = eremos;
  gate.requireOpen();
  gate.beginTry();
  eremos.announce({ topic: "gate" });
  const opened = await open().catch((error: unknown) => {
    if (isEremosError(error) && error.class === "password") throw new EremosError(error.code, error.message, { ...error.data, waitMs: gate.startWait() });
    if (isEremosError(error) && error.code === "too-few-shares") gate.withdraw();
    throw error;
  });
  return { opened, failedTries: gate.succeed() };
}
