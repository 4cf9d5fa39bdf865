import * as fs from "node:fs";
import * as path from "node:path";
import Database from "better-sqlite3";
import { type BetterSQLite3Database, drizzle } from "drizzle-orm/better-sqlite3";
import { migrate } from "drizzle-orm/better-sqlite3/migrator";
import { EremosError } from "@eremos/core";
import * as schema from "./schema";

export interface OpenDatabase {
  readonly orm: BetterSQLite3Database<typeof schema>;
  /** Changes whenever another process has written. */
  version(): number;
  close(): void;
}

/** Opens the database and brings it to the newest schema. @throws EremosError `data-unwritable` */
export function openDatabase(file: string, program: string): OpenDatabase {
  try {
    // The log and the memory beside it get the mode of the database.
    fs.closeSync(fs.openSync(file, "a", 0o600));
    fs.chmodSync(file, 0o600);
    const sqlite = new Database(file, { timeout: 10_000 });
    sqlite.pragma("journal_mode = WAL");
    sqlite.pragma("synchronous = FULL");
    sqlite.pragma("secure_delete = ON");
    const orm = drizzle(sqlite, { schema });
    migrate(orm, { migrationsFolder: path.join(program, "server", "migrations") });
    return {
      orm,
      version: () => Number(sqlite.pragma("data_version", { simple: true })),
      close: () => void sqlite.close(),
    };
  } catch (error) {
    throw new EremosError(
      "data-unwritable",
      `Eremos can't open its database ${file} (${error instanceof Error ? error.message : String(error)}). Your folders are not touched by this.`,
    );
  }
}
