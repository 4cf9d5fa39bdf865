import * as fs from "node:fs";
import * as path from "node:path";
import Database from "better-sqlite3";
import { drizzle } from "drizzle-orm/better-sqlite3";
import { integer, sqliteTable } from "drizzle-orm/sqlite-core";
import { readMigrationFiles } from "drizzle-orm/migrator";
import * as z from "zod";
import { EremosError, systemCode } from "@eremos/core";
import type { DataDirectory } from "../data-directory";
import { Days } from "../days";
import { said } from "@eremos/words/server/house";

/**
 * Before a newer Eremos touches what an older one kept, a copy of it is made beside it, for so many counted days: of the
 * owner's record, this computer's key and the database; of no note, since notes name what lies open.
 */
const KEPT_DAYS = 30;
const COPIED = /^(owner|device)[\w.]*\.json$|^port\.json$/;
const ABOUT = "copied.json";
const aboutSchema = z.object({ days: z.number() });

/**
 * @param version of this Eremos
 * @throws EremosError `unknown-version` where a newer Eremos has used this data in a way that this one does not know
 */
export function copyBeforeUpgrade(data: DataDirectory, program: string, version: string): void {
  const days = new Days(data);
  const before = data.usedBy();
  evenIfUnwritable(() => forgetOldCopies(data, days));
  if (before === version) return;
  const known = readMigrationFiles({ migrationsFolder: path.join(program, "server", "migrations") }).length;
  if (stepsIn(data.databasePath) > known)
    throw new EremosError("unknown-version", said("used-by-a-newer-eremos", { version }));
  evenIfUnwritable(() => {
    if (before !== null) copy(data, before, days);
    data.writeUsedBy(version);
  });
}

/** No room, or no right to write: it is tried again at the next start, and what can be done without goes on. */
function evenIfUnwritable(act: () => void): void {
  try {
    act();
  } catch (error) {
    if (systemCode(error) === undefined && !(error instanceof Database.SqliteError)) throw error;
  }
}

/** Where the migrator writes down what it did. Source: drizzle-orm/migrator, "migrationsTable". */
const steps = sqliteTable("__drizzle_migrations", { id: integer("id") });

/** How often the database was brought further; 0 where there is none, or it can't be read. */
function stepsIn(file: string): number {
  try {
    const database = new Database(file, { readonly: true, fileMustExist: true });
    try {
      return drizzle(database).select().from(steps).all().length;
    } finally {
      database.close();
    }
  } catch {
    return 0;
  }
}

function copy(data: DataDirectory, version: string, days: Days): void {
  const to = path.join(data.upgrades, version);
  const unfinished = `${to}.${process.pid}.new`;
  try {
    fs.rmSync(unfinished, { recursive: true, force: true });
    fs.mkdirSync(unfinished, { recursive: true, mode: 0o700 });
    for (const name of fs.readdirSync(data.directory).filter((one) => COPIED.test(one)))
      fs.copyFileSync(path.join(data.directory, name), path.join(unfinished, name), fs.constants.COPYFILE_EXCL);
    copyDatabase(data.databasePath, path.join(unfinished, path.basename(data.databasePath)));
    fs.writeFileSync(path.join(unfinished, ABOUT), JSON.stringify({ days: days.now() }), { mode: 0o600 });
    fs.rmSync(to, { recursive: true, force: true });
    fs.renameSync(unfinished, to);
  } catch (error) {
    fs.rmSync(unfinished, { recursive: true, force: true });
    throw error;
  }
}

/** As it is at one moment, whoever writes to it meanwhile. */
function copyDatabase(from: string, to: string): void {
  if (!fs.existsSync(from)) return;
  const database = new Database(from, { timeout: 30_000 });
  try {
    fs.writeFileSync(to, database.serialize(), { mode: 0o600 });
  } finally {
    database.close();
  }
}

function forgetOldCopies(data: DataDirectory, days: Days): void {
  for (const copy of copiesIn(data)) {
    const { days: since } = readAbout(path.join(copy, ABOUT));
    if (days.peek() - since >= KEPT_DAYS) fs.rmSync(copy, { recursive: true, force: true });
  }
}

/** What can't be read was cut off while it was made, or is nobody's: it goes now. */
function readAbout(file: string): z.output<typeof aboutSchema> {
  try {
    return aboutSchema.parse(JSON.parse(fs.readFileSync(file, "utf8")));
  } catch {
    return { days: Number.NEGATIVE_INFINITY };
  }
}

function copiesIn(data: DataDirectory): string[] {
  if (!fs.existsSync(data.upgrades)) return [];
  return fs.readdirSync(data.upgrades).map((name) => path.join(data.upgrades, name));
}
