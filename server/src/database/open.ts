import * as fs from "node:fs";
import * as path from "node:path";
import Database from "better-sqlite3";
import { type BetterSQLite3Database, drizzle } from "drizzle-orm/better-sqlite3";
import { migrate } from "drizzle-orm/better-sqlite3/migrator";
import { EremosError, systemCode } from "@eremos/core";
import { said, say } from "@eremos/words/server/house";
import * as schema from "./schema";

export interface OpenDatabase {
  readonly orm: BetterSQLite3Database<typeof schema>;
  /**
   * Why it can't be read or written now: then this one is in memory, and holds nothing. Null: it is the account's own.
   */
  readonly unwritable: string | null;
  /** Changes whenever another process has written. */
  version(): number;
  /** Written anew without what was deleted, and its log emptied. */
  compact(): void;
  close(): void;
}

/**
 * Opens the database and brings it to the newest schema. A damaged one is set aside under another name, and a new one
 * begun: what it listed is found again on the disks. Where it can't be opened for another reason (no room, no right to
 * write), one in memory takes its place, so that what needs no list goes on. @throws EremosError `data-unwritable`
 * where not even that opens
 */
export function openDatabase(file: string, program: string): OpenDatabase {
  const was = inodeOf(file);
  try {
    return openFile(file, program);
  } catch (error) {
    if (isDamage(error)) setAside(file, was);
    try {
      // One that another process was just making is whole now; a damaged one is another now.
      return openFile(file, program);
    } catch (again) {
      return openInMemory(program, reasonOf(again));
    }
  }
}

function inodeOf(file: string): number | null {
  return fs.statSync(file, { throwIfNoEntry: false })?.ino ?? null;
}

function openFile(file: string, program: string): OpenDatabase {
  // The log and the memory beside it get the mode of the database.
  fs.closeSync(fs.openSync(file, "a", 0o600));
  fs.chmodSync(file, 0o600);
  // Another process of Eremos may wait for a slow disk with its own write.
  const sqlite = new Database(file, { timeout: 30_000 });
  try {
    sqlite.pragma("journal_mode = WAL");
    sqlite.pragma("synchronous = FULL");
    sqlite.pragma("secure_delete = ON");
    if (sqlite.pragma("quick_check(1)", { simple: true }) !== "ok")
      throw Object.assign(new Error("quick_check"), { code: "SQLITE_CORRUPT" });
    return opened(sqlite, program, null);
  } catch (error) {
    sqlite.close();
    throw error;
  }
}

/** @throws EremosError `data-unwritable` */
function openInMemory(program: string, unwritable: string): OpenDatabase {
  try {
    return opened(new Database(":memory:"), program, unwritable);
  } catch (error) {
    throw new EremosError("data-unwritable", said("cant-open-database", { unwritable, reason: reasonOf(error) }));
  }
}

function opened(sqlite: Database.Database, program: string, unwritable: string | null): OpenDatabase {
  const orm = drizzle(sqlite, { schema });
  migrate(orm, { migrationsFolder: path.join(program, "server", "migrations") });
  return {
    orm,
    unwritable,
    compact: () => {
      sqlite.exec("VACUUM");
      sqlite.pragma("wal_checkpoint(TRUNCATE)");
    },
    version: () => Number(sqlite.pragma("data_version", { simple: true })),
    close: () => void sqlite.close(),
  };
}

/** What SQLite says of a file that is none of its, or not whole. Source: sqlite.org/rescode.html. */
function isDamage(error: unknown): boolean {
  return /^SQLITE_(CORRUPT|NOTADB)/.test(codeOf(error));
}

/** Whether the database can't take anything now, for want of room or rights. */
export function isUnwritable(error: unknown): boolean {
  return /^SQLITE_(FULL|READONLY|IOERR|CANTOPEN|CORRUPT|NOTADB|BUSY)/.test(codeOf(error));
}

function codeOf(error: unknown): string {
  const code = error instanceof Error && "code" in error ? error.code : null;
  // Migrations wrap what the database said.
  if (typeof code !== "string" && error instanceof Error && error.cause !== undefined) return codeOf(error.cause);
  return typeof code === "string" ? code : "";
}

/** For people. */
export function reasonOf(error: unknown): string {
  const code = systemCode(error) ?? codeOf(error);
  if (code === "ENOSPC" || code === "EDQUOT" || code.startsWith("SQLITE_FULL")) return say("disk-is-full");
  if (
    code === "EROFS" ||
    code === "EACCES" ||
    code === "EPERM" ||
    code.startsWith("SQLITE_READONLY") ||
    code.startsWith("SQLITE_CANTOPEN")
  )
    return say("it-cant-be-written");
  return code === "" ? say("it-cant-be-read") : code;
}

const ASIDE = ".damaged-";

/** Only the one that was found damaged: another process may have set it aside, and begun a new one, meanwhile. */
function setAside(file: string, was: number | null): void {
  if (inodeOf(file) !== was) return;
  const aside = `${file}${ASIDE}${new Date().toISOString().slice(0, 19).replaceAll(":", "-")}`;
  for (const end of ["", "-wal", "-shm"])
    if (fs.existsSync(`${file}${end}`)) fs.renameSync(`${file}${end}`, `${aside}${end}`);
}

/** Databases that were damaged and set aside, and that their owner has not been told of yet. */
export function setAsideOf(file: string): string[] {
  const { dir, base } = path.parse(file);
  return fs
    .readdirSync(dir)
    .filter((name) => name.startsWith(`${base}${ASIDE}`) && !/-(?:wal|shm)$/.test(name))
    .map((name) => path.join(dir, name));
}

/** Its owner knows: they stay, under a name that says nothing more. */
export function tellNoMore(file: string): void {
  for (const aside of setAsideOf(file)) fs.renameSync(aside, aside.replace(ASIDE, ".set-aside-"));
}
