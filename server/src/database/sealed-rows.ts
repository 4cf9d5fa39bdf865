import { eq } from "drizzle-orm";
import { openBox, sealBox, wipe } from "@eremos/core";
import type { z } from "zod";
import type { Keys } from "../session/keys";
import type { OpenDatabase } from "./open";
import { documents, events, folders } from "./schema";

/** A row as a box under the database key, bound to its place. */
export function sealRow(keys: Keys, place: string, value: object): Buffer {
  return sealBox(keys.databaseKey, `database/${place}`, Buffer.from(JSON.stringify(value)));
}

/**
 * What a row holds; null where it is damaged, in another's place, or not in a form that is known: it is nobody else's
 * trouble.
 */
export function readRow<S extends z.ZodType>(schema: S, keys: Keys, place: string, sealed: Buffer): z.output<S> | null {
  const plain = openBox(keys.databaseKey, `database/${place}`, sealed);
  if (typeof plain === "string") return null;
  try {
    return schema.safeParse(JSON.parse(plain.toString("utf8"))).data ?? null;
  } catch {
    return null;
  }
}

/** Rows that are under a database key of before are sealed under the present one: all, or none where it is cut off. */
export function sealRowsAnew(database: OpenDatabase, keys: Keys, before: readonly Uint8Array[]): void {
  const anew = (place: string, sealed: Buffer): Buffer | null => {
    for (const key of before) {
      const plain = openBox(key, `database/${place}`, sealed);
      if (typeof plain === "string") continue;
      const box = sealBox(keys.databaseKey, `database/${place}`, plain);
      wipe(plain);
      return box;
    }
    return null;
  };
  database.orm.transaction((write) => {
    for (const row of write.select().from(folders).all()) {
      const sealed = anew(`folders/${row.id}`, row.sealed);
      if (sealed) write.update(folders).set({ sealed }).where(eq(folders.id, row.id)).run();
    }
    for (const row of write.select().from(documents).all()) {
      const sealed = anew(`documents/${row.name}`, row.sealed);
      if (sealed) write.update(documents).set({ sealed }).where(eq(documents.name, row.name)).run();
    }
    for (const row of write.select().from(events).all()) {
      const sealed = anew("events", row.sealed);
      if (sealed) write.update(events).set({ sealed }).where(eq(events.id, row.id)).run();
    }
  });
}
