import { and, eq } from "drizzle-orm";
import { EremosError, isEremosError } from "@eremos/core";
import type { ActivityEvent, ChangeEvent, Way } from "../contract";
import { causedBy } from "../ledger/cause";
import type { OpenDatabase } from "../database/open";
import { gate, hints } from "../database/schema";
import { said } from "@eremos/words/server/house";

const ROW = 1;
const FIRST_DELAY_MS = 1000;
/** Capped, so that nobody can lock the owner out. */
const LONGEST_DELAY_MS = 5 * 60 * 1000;

/** One that was cut off counts as wrong after this. */
const LONGEST_TRY_MS = 15_000;
const TRY_AGAIN_MS = 50;

/** What is tried: each has a count of its own, and the right answer to one says nothing of another. */
export type TriedSecret = "password" | "code" | "shares" | `folder/${string}` | `found/${string}`;

/** The wait after the n-th wrong one in a row: 1 s, 2 s, 4 s, … up to five minutes. */
export function delayAfter(failures: number): number {
  return failures === 0 ? 0 : Math.min(LONGEST_DELAY_MS, FIRST_DELAY_MS * 2 ** (failures - 1));
}

/** Counts wrong tries of one secret by one account, in the database, so that a restart does not reset the wait. */
export class Tries {
  constructor(
    private readonly database: OpenDatabase,
    private readonly secret: TriedSecret,
    private readonly caller: number,
    private readonly now: () => number,
  ) {}

  private row(): { readonly failures: number; readonly blockedUntil: number; readonly trying: number } {
    return (
      this.database.orm
        .select()
        .from(gate)
        .where(and(eq(gate.secret, this.secret), eq(gate.caller, this.caller)))
        .get() ?? { failures: 0, blockedUntil: 0, trying: 0 }
    );
  }

  private write(change: {
    readonly failures?: number;
    readonly blockedUntil?: number;
    readonly trying?: number;
  }): void {
    const row = { ...this.row(), ...change, secret: this.secret, caller: this.caller };
    this.database.orm
      .insert(gate)
      .values(row)
      .onConflictDoUpdate({ target: [gate.secret, gate.caller], set: row })
      .run();
  }

  get failures(): number {
    return this.row().failures;
  }

  /** Without the one that is under way, which counts as a failure until it is none. */
  get endedFailures(): number {
    const { failures, trying } = this.row();
    return trying === 0 ? failures : Math.max(0, failures - 1);
  }

  /** Milliseconds until the next try is looked at. A clock set back can't lengthen it beyond the delay itself. */
  get wait(): number {
    const { failures, blockedUntil } = this.row();
    return Math.max(0, Math.min(blockedUntil - this.now(), delayAfter(failures)));
  }

  /** Whether a try was begun that nobody waits for any more: its process was ended before it was answered. */
  private isCutOff(trying: number): boolean {
    return trying > 0 && Math.abs(this.now() - trying) >= LONGEST_TRY_MS;
  }

  private requireOpen(): void {
    const { wait } = this;
    if (wait > 0)
      throw new EremosError("too-many-tries", said("wait-s-before-next-try", { seconds: Math.ceil(wait / 1000) }), {
        waitMs: wait,
      });
  }

  /**
   * Counted before it is looked at, so that killing the process does not save a try. False while another one is under
   * way, in whatever process: whether that was wrong nobody knows yet. One before it that was cut off counts as wrong,
   * and is told (`after`). @throws EremosError `too-many-tries`; what is given meanwhile is not looked at
   */
  begin(): false | { readonly after: "nothing" | "cut-off" } {
    return this.database.orm.transaction(
      () => {
        const { failures, trying } = this.row();
        const after = this.isCutOff(trying) ? "cut-off" : "nothing";
        if (trying > 0 && after === "nothing") return false;
        this.requireOpen();
        this.write({ failures: failures + 1, blockedUntil: this.now() + delayAfter(failures + 1), trying: this.now() });
        return { after };
      },
      { behavior: "immediate" },
    );
  }

  /** It was wrong: the wait runs from now. Returns its milliseconds. */
  startWait(): number {
    const wait = delayAfter(this.row().failures);
    this.write({ blockedUntil: this.now() + wait, trying: 0 });
    return wait;
  }

  /** What was begun was no try: it could not have opened anything, right or wrong. */
  withdraw(): void {
    this.write({ failures: Math.max(0, this.row().failures - 1), blockedUntil: 0, trying: 0 });
  }

  /** It was right; gives back how many wrong ones there were before it. */
  succeed(): number {
    const failed = Math.max(0, this.row().failures - 1);
    this.write({ failures: 0, blockedUntil: 0, trying: 0 });
    return failed;
  }
}

/**
 * The gate of this Eremos. Whoever calls it has been asked for by the kernel: it is the account this process runs in.
 */
export class Gate {
  constructor(
    private readonly database: OpenDatabase,
    private readonly now: () => number = Date.now,
    readonly caller: number = process.geteuid?.() ?? 0,
  ) {}

  tries(secret: TriedSecret): Tries {
    return new Tries(this.database, secret, this.caller, this.now);
  }

  /** Of the master password, for whoever stands before the gate. */
  get failures(): number {
    return this.tries("password").failures;
  }

  get endedFailures(): number {
    return this.tries("password").endedFailures;
  }

  get wait(): number {
    return this.tries("password").wait;
  }

  get hint(): string | null {
    return this.database.orm.select().from(hints).where(eq(hints.id, ROW)).get()?.hint ?? null;
  }

  setHint(hint: string | null): void {
    this.database.orm
      .insert(hints)
      .values({ id: ROW, hint })
      .onConflictDoUpdate({ target: hints.id, set: { hint } })
      .run();
  }
}

interface Guarded {
  readonly gate: Gate;
  announce(change: ChangeEvent): void;
  /**
   * Nothing is looked at, and so nothing changed, where what comes of it could not be kept. @throws EremosError
   * `data-unwritable`
   */
  requireOwnData(): void;
  accountOf(uid: number | null): ActivityEvent["account"];
  readonly ledger: {
    noticed(folder: string, kind: "wrong", facts: Pick<ActivityEvent, "way" | "account">): Promise<void>;
  };
  /** What was given in vain is not to stay in memory for long. */
  trying<T>(work: () => Promise<T>): Promise<T>;
}

/**
 * Every look at a password or code goes through here: counted by itself, and slowed down. @throws EremosError
 * `too-many-tries`, or what `open` throws
 */
export function throughGate<T>(
  eremos: Guarded,
  secret: TriedSecret,
  open: () => Promise<T>,
): Promise<{ opened: T; failedTries: number }> {
  return eremos.trying(() => counted(eremos, secret, open));
}

async function counted<T>(
  eremos: Guarded,
  secret: TriedSecret,
  open: () => Promise<T>,
): Promise<{ opened: T; failedTries: number }> {
  eremos.requireOwnData();
  const tries = eremos.gate.tries(secret);
  let begun = tries.begin();
  for (; !begun; begun = tries.begin()) await new Promise((resolve) => setTimeout(resolve, TRY_AGAIN_MS));
  if (begun.after === "cut-off") await causedBy({ from: "itself", why: "cut-off" }, () => noticeWrong(eremos, secret));
  eremos.announce({ topic: "gate" });
  const opened = await open().catch(async (error: unknown) => {
    if (isEremosError(error) && error.class === "password") {
      const waitMs = tries.startWait();
      await noticeWrong(eremos, secret, error.code);
      throw new EremosError(error.code, error.said, { ...error.data, waitMs });
    }
    if (isEremosError(error) && (error.code === "too-few-shares" || error.code === "costly")) tries.withdraw();
    else tries.startWait();
    throw error;
  });
  return { opened, failedTries: tries.succeed() };
}

/** Whoever stands before it, it is told to the owner: which secret, of which folder, and by which account's program. */
function noticeWrong(eremos: Guarded, secret: TriedSecret, code: string | null = null): Promise<void> {
  const [what = "", id = ""] = secret.split("/");
  // One that was found only is in no list: its id tells nobody anything.
  const folder = what === "folder" ? id : "";
  const way = (code === null ? null : BY_CODE[code]) ?? BY_SECRET[what] ?? null;
  return eremos.ledger.noticed(folder, "wrong", { way, account: eremos.accountOf(eremos.gate.caller) });
}

/** What was wrong, by the error; a password by what it was to open, where that is known. */
const BY_CODE: Readonly<Partial<Record<string, Way>>> = { "wrong-code": "code", "wrong-share": "shares" };
const BY_SECRET: Readonly<Partial<Record<string, Way>>> = {
  password: "password",
  code: "code",
  shares: "shares",
  folder: "folder-password",
};
