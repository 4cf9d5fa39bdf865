import { EremosError, openBox, sealBox } from "@eremos/core";
import type { Keys } from "../session/keys";

/** A row as a box under the database key, bound to its place. */
export function sealRow(keys: Keys, place: string, value: object): Buffer {
  return sealBox(keys.databaseKey, `database/${place}`, Buffer.from(JSON.stringify(value)));
}

/** @throws EremosError `damaged` */
export function openRow(keys: Keys, place: string, sealed: Buffer): unknown {
  const plain = openBox(keys.databaseKey, `database/${place}`, sealed);
  if (typeof plain === "string") throw new EremosError("damaged", "A row of Eremos' database is damaged. Your folders carry all they need and still open.");
  return JSON.parse(plain.toString("utf8"));
}
