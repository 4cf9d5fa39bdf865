import { eq } from "drizzle-orm";
import * as z from "zod";
import { type ActivityEvent, eventSchema } from "../calls/shapes/activity";
import type { OpenDatabase } from "../database/open";
import { events } from "../database/schema";
import { readRow, sealRow } from "../database/sealed-rows";
import type { Keys } from "../session/keys";
import { Since } from "../steady-clock";

const rowSchema = z.array(eventSchema).readonly();

/** Entries in a row, where several were put together; and when they are. */
const FULL_ROW = 500;
const MOST_LOOSE = 250;
/** So long it is read before others get a turn. */
const TURN_MS = 10;

/**
 * What happened, entry by entry: rows of one or many, each a box under the database key. A row never changes under its
 * id, so that what one session has read stays read.
 */
export class EventLog {
  private readonly read = new WeakMap<Keys, Map<number, readonly ActivityEvent[]>>();
  private readonly sorted = new WeakMap<Keys, { readonly rows: string; readonly all: readonly ActivityEvent[] }>();

  constructor(private readonly database: OpenDatabase) {}

  add(keys: Keys, entries: readonly ActivityEvent[]): void {
    for (let from = 0; from < entries.length; from += FULL_ROW)
      this.database.orm
        .insert(events)
        .values({ sealed: sealRow(keys, "events", entries.slice(from, from + FULL_ROW).map(withoutNothing)) })
        .run();
  }

  /** All of them, the oldest first. Of a row that is damaged nothing is told, and everything of the others. */
  all(keys: Keys): readonly ActivityEvent[] {
    const rows = this.rowsOf(keys);
    const ids = this.ids();
    for (const id of ids) this.readRow(keys, rows, id);
    return this.inOrder(keys, rows, ids);
  }

  /** The same, with turns for others in between. */
  async load(keys: Keys): Promise<readonly ActivityEvent[]> {
    const rows = this.rowsOf(keys);
    const unread = this.ids().filter((id) => !rows.has(id));
    let turn = new Since();
    for (const id of unread) {
      this.readRow(keys, rows, id);
      if (turn.ms < TURN_MS) continue;
      await new Promise((resolve) => setImmediate(resolve));
      turn = new Since();
    }
    return this.all(keys);
  }

  private rowsOf(keys: Keys): Map<number, readonly ActivityEvent[]> {
    const known = this.read.get(keys) ?? new Map<number, readonly ActivityEvent[]>();
    this.read.set(keys, known);
    return known;
  }

  private ids(): number[] {
    return this.database.orm
      .select({ id: events.id })
      .from(events)
      .orderBy(events.id)
      .all()
      .map(({ id }) => id);
  }

  private readRow(keys: Keys, rows: Map<number, readonly ActivityEvent[]>, id: number): void {
    if (rows.has(id)) return;
    const row = this.database.orm.select().from(events).where(eq(events.id, id)).get();
    if (row) rows.set(id, readRow(rowSchema, keys, "events", row.sealed) ?? []);
  }

  private inOrder(
    keys: Keys,
    rows: Map<number, readonly ActivityEvent[]>,
    ids: readonly number[],
  ): readonly ActivityEvent[] {
    const name = ids.join();
    const known = this.sorted.get(keys);
    if (known?.rows === name) return known.all;
    const there = new Set(ids);
    for (const id of rows.keys()) if (!there.has(id)) rows.delete(id);
    const all = ids.flatMap((id) => rows.get(id) ?? []).sort((a, b) => a.at - b.at);
    this.sorted.set(keys, { rows: name, all });
    return all;
  }

  /** Those of which this is true go; returns how many did. */
  remove(keys: Keys, goes: (event: ActivityEvent) => boolean): number {
    let gone = 0;
    const rows = this.rowsOf(keys);
    this.all(keys);
    this.database.orm.transaction(() => {
      for (const [id, entries] of rows) {
        const stay = entries.filter((event) => !goes(event));
        if (stay.length === entries.length) continue;
        gone += entries.length - stay.length;
        this.database.orm.delete(events).where(eq(events.id, id)).run();
        this.add(keys, stay);
      }
    });
    return gone;
  }

  /** Everything goes, what can't be read too; returns how many were read. */
  clear(keys: Keys): number {
    const { length } = this.all(keys);
    this.database.orm.delete(events).run();
    return length;
  }

  /** Many rows of a few entries become few rows of many: each costs a key of its own when it is read. */
  pack(keys: Keys): void {
    const rows = this.rowsOf(keys);
    this.all(keys);
    const loose = [...rows].filter(([, { length }]) => length > 0 && length < FULL_ROW / 2);
    if (loose.length < MOST_LOOSE) return;
    this.database.orm.transaction(() => {
      for (const [id] of loose) this.database.orm.delete(events).where(eq(events.id, id)).run();
      this.add(
        keys,
        loose.flatMap(([, entries]) => entries),
      );
    });
  }
}

/** As it is kept: what there is nothing of takes no room. */
function withoutNothing(event: ActivityEvent): object {
  return Object.fromEntries(
    Object.entries(event).filter(([name, value]) => name === "folder" || (value !== null && value !== "")),
  );
}
