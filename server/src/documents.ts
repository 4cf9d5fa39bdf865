import { eq, sql } from "drizzle-orm";
import * as z from "zod";
import type { Undo } from "@eremos/core";
import { interruptedVerbSchema } from "./calls/shapes/folders";
import { handedOverSchema } from "./calls/shapes/hand-over";
import { mailAddressSchema, mailServerSchema, personNameSchema } from "./calls/ways-back-calls";
import { lazily } from "./database/lazily";
import type { OpenDatabase } from "./database/open";
import { documents } from "./database/schema";
import { readRow, sealRow } from "./database/sealed-rows";
import { protectionShape } from "./protection";
import type { Keys } from "./session/keys";

/**
 * The keyholders by name, with their shares, so that a sheet can be printed again: whoever reads this has the owner's
 * keys already.
 */
const keyholdersSchema = z.strictObject({
  /** Of the owner envelope that these shares belong to. */
  set: z.string(),
  threshold: z.int(),
  /** Whose folders they open, as it stands on the sheets. */
  of: personNameSchema,
  /** Milliseconds since 1970. */
  madeAt: z.number(),
  provenAt: z.number().nullable(),
  holders: z.array(
    z.strictObject({
      name: personNameSchema,
      mail: mailAddressSchema.nullable(),
      share: z.string(),
      handedAt: z.number().nullable(),
      by: z.enum(["sheet", "mail"]).nullable(),
    }),
  ),
});
export type KeyholdersDocument = z.output<typeof keyholdersSchema>;

export type MailServer = z.output<typeof mailServerSchema>;

const spotSchema = z.strictObject({ path: z.string(), directory: z.string(), entry: z.string() });
const undoSchema = z.discriminatedUnion("kind", [
  z.strictObject({ kind: z.literal("rename"), now: spotSchema, name: z.string() }),
  z.strictObject({ kind: z.literal("mode"), now: spotSchema, mode: z.number() }),
  z.strictObject({ kind: z.literal("line"), now: spotSchema, line: z.string() }),
  z.strictObject({ kind: z.literal("immutable"), now: spotSchema }),
  z.strictObject({ kind: z.literal("attributes"), now: spotSchema, attributes: z.number() }),
  z.strictObject({ kind: z.literal("removed"), now: spotSchema, content: z.string(), mode: z.number() }),
]) satisfies z.ZodType<Undo>;
/** What was brought back, and how it is hidden again: the newest first. */
const broughtSchema = z.array(
  z.strictObject({ id: z.string(), at: z.number(), shown: z.string(), now: z.string(), undo: z.array(undoSchema) }),
);

const interruptionsSchema = z.array(
  z.strictObject({
    folder: z.string(),
    /** Base64 of its bytes. */ path: z.string(),
    protection: z.strictObject(protectionShape),
    verb: interruptedVerbSchema,
    files: z.number(),
    filesTotal: z.number(),
    now: z.enum(["ordinary", "open", "partly", "locked"]),
    at: z.number(),
  }),
);

/** Files that Eremos made, where they were put, and which folders they tell of. */
const exportsSchema = z.array(
  z.strictObject({
    /** Base64 of its bytes. */
    path: z.string(),
    /** By which it is known again, decimal. */
    dev: z.string(),
    ino: z.string(),
    folders: z.array(z.string()),
    /** A package is encrypted; a history is readable. */
    kind: z.enum(["history", "package"]),
    at: z.number(),
  }),
);

/** What was handed over, the newest first: at most so many. */
export const MOST_HANDED = 1000;
const handedSchema = z.array(handedOverSchema).max(MOST_HANDED);

const SCHEMAS = {
  keyholders: keyholdersSchema,
  mail: mailServerSchema,
  brought: broughtSchema,
  interruptions: interruptionsSchema,
  exports: exportsSchema,
  handed: handedSchema,
} as const;
type Name = keyof typeof SCHEMAS;
type Document<N extends Name> = z.output<(typeof SCHEMAS)[N]>;

/** Single documents of the owner's, readable with the owner's keys only. */
export class Documents {
  constructor(private readonly database: OpenDatabase) {}

  private readonly named = lazily(() =>
    this.database.orm
      .select()
      .from(documents)
      .where(eq(documents.name, sql.placeholder("of")))
      .prepare(),
  );

  get<N extends Name>(keys: Keys, of: N): Document<N> | null {
    const row = this.named().get({ of });
    return row ? (readRow(SCHEMAS[of], keys, `documents/${of}`, row.sealed) as Document<N> | null) : null;
  }

  put<N extends Name>(keys: Keys, of: N, document: Document<N>): void {
    const sealed = sealRow(keys, `documents/${of}`, document);
    this.database.orm
      .insert(documents)
      .values({ name: of, sealed })
      .onConflictDoUpdate({ target: documents.name, set: { sealed } })
      .run();
  }

  remove(of: Name): void {
    this.database.orm.delete(documents).where(eq(documents.name, of)).run();
  }
}
