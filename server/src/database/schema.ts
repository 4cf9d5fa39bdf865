import { blob, integer, primaryKey, sqliteTable, text } from "drizzle-orm/sqlite-core";
import { JOB_STATES, JOB_VERBS } from "../calls/shapes/folders";

/**
 * Nothing in here is readable without the master password, but for ids, counters, and the folders' own public keys and
 * headers.
 */
export const folders = sqliteTable("folders", {
  id: text("id").primaryKey(),
  /** A box under the database key: path, visibility, sizes, times. */
  sealed: blob("sealed", { mode: "buffer" }).notNull(),
  /** A copy of the folder's header, in case both in the folder are damaged. */
  header: blob("header", { mode: "buffer" }),
});

/**
 * Of sealed folders, what may be sealed to while nobody is signed in, and where: their public keys, and the inode and
 * birth of Eremos' directory in them. What stands in a folder may be anybody's, and so may what stands here, unless
 * this computer's proof is with it.
 */
export const slots = sqliteTable("slots", {
  id: text("id").primaryKey(),
  publicKey: text("public_key").notNull(),
  /** Inode and nanoseconds of its birth, decimal; null where inode numbers don't last. */
  place: text("place"),
  proof: text("proof").notNull(),
});

/** What happened while nobody was signed in, sealed to the owner's public key; taken in at the next sign-in. */
export const inbox = sqliteTable("inbox", {
  id: integer("id").primaryKey({ autoIncrement: true }),
  sealed: text("sealed").notNull(),
  /** This computer's: everybody can seal something to the owner's public key. */
  proof: text("proof").notNull(),
});

/** The activity log, each entry a box under the database key. */
export const events = sqliteTable("events", {
  id: integer("id").primaryKey({ autoIncrement: true }),
  sealed: blob("sealed", { mode: "buffer" }).notNull(),
});

/** Long work: ids, numbers and codes only. */
export const jobs = sqliteTable("jobs", {
  id: text("id").primaryKey(),
  folder: text("folder").notNull(),
  verb: text("verb", { enum: JOB_VERBS }).notNull(),
  state: text("state", { enum: JOB_STATES }).notNull(),
  phase: text("phase").notNull(),
  files: integer("files").notNull(),
  filesTotal: integer("files_total").notNull(),
  bytes: integer("bytes").notNull(),
  bytesTotal: integer("bytes_total").notNull(),
  error: text("error"),
  /** By whose lock it is known to be at work. */
  holder: text("holder").notNull(),
  startedAt: integer("started_at").notNull(),
  endedAt: integer("ended_at"),
});

/** Preferences that are no secret: numbers and choices, as JSON. */
export const preferences = sqliteTable("preferences", {
  id: integer("id").primaryKey(),
  json: text("json").notNull(),
});

/** Single documents of the owner's, each a box under the database key. */
export const documents = sqliteTable("documents", {
  name: text("name").primaryKey(),
  sealed: blob("sealed", { mode: "buffer" }).notNull(),
});

/** The gate: for each secret and each account that tries it, counters that survive a restart. */
export const gate = sqliteTable(
  "gate",
  {
    secret: text("secret").notNull(),
    caller: integer("caller").notNull(),
    failures: integer("failures").notNull(),
    blockedUntil: integer("blocked_until").notNull(),
    /** Since when a try is under way; 0: none is. */
    trying: integer("trying").notNull(),
  },
  (table) => [primaryKey({ columns: [table.secret, table.caller] })],
);

/** What is meant to be read by whoever stands before the gate. */
export const hints = sqliteTable("hints", {
  id: integer("id").primaryKey(),
  hint: text("hint"),
});
