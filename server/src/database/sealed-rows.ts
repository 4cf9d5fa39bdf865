import { openBox, sealBox } from "@eremos/core";
import type { z } from "zod";
import type { Keys } from "../session/keys";

/** A row as a box under the database key, bound to its place. */
export function sealRow(keys: Keys, place: string, value: object): Buffer {
  return sealBox(keys.databaseKey, `database/${place}`, Buffer.from(JSON.stringify(value)));
}

/** What a row holds; null where it is damaged, in another's place, or not in a form that is known: it is nobody else's trouble. */
export function readRow<S extends z.ZodType>(schema: S, keys: Keys, place: string, sealed: Buffer): z.output<S> | null {
  const plain = openBox(keys.databaseKey, `database/${place}`, sealed);
  if (typeof plain === "string") return null;
  try {
    return schema.safeParse(JSON.parse(plain.toString("utf8"))).data ?? null;
  } catch {
    return null;
  }
}
