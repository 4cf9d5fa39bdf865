import { eq, sql } from "drizzle-orm";
import * as z from "zod";
import {
  type Identity,
  type OwnerEnvelope,
  type WaysIn,
  fromBase64,
  isEncrypting,
  isEremosError,
  openEnvelope,
  sealTo,
  waysInto,
} from "@eremos/core";
import { lockingRulesSchema } from "../calls/shapes/rules";
import { type ActivityEvent, eventSchema } from "../calls/shapes/activity";
import { folderKindSchema } from "../calls/shapes/folders";
import { protectionShape } from "../protection";
import type { OpenDatabase } from "../database/open";
import { folders, inbox, slots } from "../database/schema";
import { readRow, sealRow } from "../database/sealed-rows";
import type { Keys } from "../session/keys";
import { EventLog } from "./event-log";

const recordSchema = z.strictObject({
  id: z.string(),
  /** The ordinary path, base64 of its bytes. */
  path: z.string(),
  ...protectionShape,
  kind: folderKindSchema.default("folder"),
  files: z.number(),
  bytes: z.number(),
  generation: z.number(),
  digest: z.string(),
  publicKey: z.string(),
  protectedAt: z.number(),
  lockedAt: z.number().nullable(),
  openedAt: z.number().nullable(),
  /** When it locks by itself; null: as set for all. */
  rules: lockingRulesSchema.nullable().default(null),
  /** When the recovery code was last seen to open it: milliseconds since 1970. */
  codeProvenAt: z.number().nullable().default(null),
  /** The same of the keyholders' shares. */
  sharesProvenAt: z.number().nullable().default(null),
  lastCheck: z.strictObject({ at: z.number(), ok: z.boolean(), sample: z.boolean() }).nullable().default(null),
  /** Everything in it is under this key of the folder's, or a later one. */
  epoch: z.number().default(1),
  /**
   * In Eremos' trash: since which counted day, for how many, since when by the clock, and how it was protected before.
   */
  removed: z
    .strictObject({ day: z.number(), days: z.number(), at: z.number(), before: z.strictObject(protectionShape) })
    .nullable()
    .default(null),
  /** How many of its earlier states an earlier key opens. */
  olderStates: z.number().default(0),
});
export type FolderRecord = z.output<typeof recordSchema>;

const letterSchema = z.strictObject({
  record: recordSchema.nullable(),
  header: z.string().nullable(),
  /** Null where nothing is written down of what happens. */
  event: eventSchema.nullable(),
});
export type Letter = z.output<typeof letterSchema>;

const INBOX_PURPOSE = "inbox";

/**
 * The list of protected folders and what happened to them. Readable with the owner's keys only; writable without them
 * through the inbox.
 */
export class Registry {
  /** Rows as they were read last, with the keys of one session: most stay as they are. */
  private readonly read = new WeakMap<Keys, Map<string, ReadRow>>();
  private readonly waysOf = new Map<string, KnownWays>();
  readonly log: EventLog;

  // Asked for each folder at each look.
  private readonly headers;
  private readonly slots;

  constructor(
    private readonly database: OpenDatabase,
    private readonly identity: Identity,
  ) {
    this.log = new EventLog(database);
    const { orm } = database;
    const id = sql.placeholder("id");
    this.headers = orm.select({ header: folders.header }).from(folders).where(eq(folders.id, id)).prepare();
    this.slots = orm.select().from(slots).where(eq(slots.id, id)).prepare();
  }

  /** Rows that can be read; one that can't is its own trouble alone: {@link damagedRows}. */
  list(keys: Keys): FolderRecord[] {
    return this.rows(keys).flatMap(({ record }) => (record ? [record] : []));
  }

  /** How many there are, by their ids alone; those that were locked while nobody was signed in are in no row yet. */
  count(): number {
    const { orm } = this.database;
    const rows = [
      ...orm.select({ id: folders.id }).from(folders).all(),
      ...orm.select({ id: slots.id }).from(slots).all(),
    ];
    return new Set(rows.map(({ id }) => id)).size;
  }

  /** The ids of folders whose row is damaged, or in another's place: they are taken in again from the disk. */
  damagedRows(keys: Keys): string[] {
    return this.rows(keys).flatMap(({ id, record }) => (record ? [] : [id]));
  }

  private rows(keys: Keys): { readonly id: string; readonly record: FolderRecord | null }[] {
    return this.database.orm
      .select({ id: folders.id, sealed: folders.sealed })
      .from(folders)
      .all()
      .map(({ id, sealed }) => ({ id, record: this.recordIn(keys, id, sealed) }));
  }

  private recordIn(keys: Keys, id: string, sealed: Buffer): FolderRecord | null {
    const rows = this.read.get(keys) ?? new Map<string, ReadRow>();
    this.read.set(keys, rows);
    const known = rows.get(id);
    if (known?.sealed.equals(sealed)) return known.record;
    const record = readRow(recordSchema, keys, `folders/${id}`, sealed);
    const row = { sealed, record: record?.id === id ? record : null };
    rows.set(id, row);
    return row.record;
  }

  header(id: string): Buffer | null {
    return this.headers.get({ id })?.header ?? null;
  }

  /**
   * What the kept header tells of the ways into a folder; null where none is kept, or none that is whole: it is a copy,
   * and keeps nobody out.
   */
  ways(id: string, owner: OwnerEnvelope): WaysIn | null {
    const header = this.header(id);
    if (!header) return null;
    const known = this.waysOf.get(id);
    if (known?.signature === owner.signature && known.header.equals(header)) return known.ways;
    const ways = waysOrNull(header, owner);
    this.waysOf.set(id, { header, signature: owner.signature, ways });
    return ways;
  }

  /** Of a folder that is not sealed any more. */
  dropHeader(id: string): void {
    this.database.orm.update(folders).set({ header: null }).where(eq(folders.id, id)).run();
  }

  put(keys: Keys, record: FolderRecord, header: Buffer | null): void {
    const sealed = sealRow(keys, `folders/${record.id}`, record);
    const kept = header ?? this.header(record.id);
    this.database.orm
      .insert(folders)
      .values({ id: record.id, sealed, header: kept })
      .onConflictDoUpdate({ target: folders.id, set: { sealed, header: kept } })
      .run();
  }

  /**
   * What files are sealed to while nobody is signed in, and where; null where there is none that this computer wrote
   * itself.
   */
  slot(id: string): { readonly publicKey: string; readonly place: string | null } | null {
    const row = this.slots.get({ id });
    return row && this.identity.isOwn(slotMessage(row), row.proof)
      ? { publicKey: row.publicKey, place: row.place }
      : null;
  }

  keepSlot(id: string, publicKey: string, place: string | null): void {
    const known = this.slot(id);
    if (known?.publicKey === publicKey && known.place === place) return;
    const proof = this.identity.prove(slotMessage({ id, publicKey, place }));
    this.database.orm
      .insert(slots)
      .values({ id, publicKey, place, proof })
      .onConflictDoUpdate({ target: slots.id, set: { publicKey, place, proof } })
      .run();
  }

  remove(id: string): void {
    this.database.orm.delete(slots).where(eq(slots.id, id)).run();
    this.database.orm.delete(folders).where(eq(folders.id, id)).run();
  }

  private take(keys: Keys, letter: Letter): void {
    if (letter.record)
      this.put(
        keys,
        mergeRecord(this.list(keys), letter.record),
        letter.header === null ? null : Buffer.from(letter.header, "base64"),
      );
    if (letter.event) this.log.add(keys, [letter.event]);
  }

  /**
   * Writes down what happened: in the list and the log with the owner's keys, through the inbox without them; and what is
   * to be done `besides` it, all in one.
   */
  async record(
    keys: Keys | null,
    owner: OwnerEnvelope,
    event: ActivityEvent | null,
    record: FolderRecord | null = null,
    header: Buffer | null = null,
    besides: () => void = () => undefined,
  ): Promise<void> {
    const letter: Letter = { record, header: header?.toString("base64") ?? null, event };
    const isNothing = event === null && record === null;
    const sealed = keys || isNothing ? null : await sealedLetter(owner, letter);
    this.atOnce(() => {
      if (keys) this.take(keys, letter);
      else if (sealed !== null) this.post(sealed);
      besides();
    });
  }

  /** All of it or nothing. */
  atOnce(work: () => void): void {
    this.database.orm.transaction(work);
  }

  private post(sealed: string): void {
    this.database.orm
      .insert(inbox)
      .values({ sealed, proof: this.identity.prove(letterMessage(sealed)) })
      .run();
  }

  /**
   * Takes in what came while nobody was signed in. A letter that this computer did not write is dropped: everybody can
   * seal one to the owner's public key.
   */
  async takeIn(keys: Keys, earlier: readonly Buffer[] = []): Promise<void> {
    for (const row of this.database.orm.select().from(inbox).orderBy(inbox.id).all()) {
      const letter = this.identity.isOwn(letterMessage(row.sealed), row.proof)
        ? await openLetter([keys.sealingKey, ...earlier], row.sealed)
        : null;
      this.atOnce(() => {
        if (letter) this.take(keys, letter);
        this.database.orm.delete(inbox).where(eq(inbox.id, row.id)).run();
      });
    }
  }
}

interface ReadRow {
  readonly sealed: Buffer;
  readonly record: FolderRecord | null;
}

interface KnownWays {
  readonly header: Buffer;
  /** Of the owner record that they were read with. */
  readonly signature: string;
  readonly ways: WaysIn | null;
}

function waysOrNull(header: Buffer, owner: OwnerEnvelope): WaysIn | null {
  try {
    return waysInto(header, owner);
  } catch (error) {
    if (isEremosError(error)) return null;
    throw error;
  }
}

function slotMessage({
  id,
  publicKey,
  place,
}: {
  readonly id: string;
  readonly publicKey: string;
  readonly place: string | null;
}): Buffer {
  return Buffer.from(`eremos/2/slot\n${JSON.stringify([id, publicKey, place])}`);
}

async function sealedLetter(owner: OwnerEnvelope, letter: Letter): Promise<string> {
  const plain = Buffer.from(JSON.stringify(letter));
  return JSON.stringify(await sealTo(fromBase64(owner.sealing.publicKey, 32), INBOX_PURPOSE, plain));
}

function letterMessage(sealed: string): Buffer {
  return Buffer.from(`eremos/2/letter\n${sealed}`);
}

/**
 * What is known only from a note (no generation) never replaces what the list knows. A lock does not know when the
 * folder was
 * opened last, nor its rules; the list does. */
function mergeRecord(known: readonly FolderRecord[], incoming: FolderRecord): FolderRecord {
  const before = known.find((record) => record.id === incoming.id);
  if (before && isEncrypting(incoming) && incoming.generation === 0) return before;
  return before
    ? {
        ...incoming,
        openedAt: incoming.openedAt ?? before.openedAt,
        protectedAt: before.protectedAt,
        rules: before.rules,
        codeProvenAt: before.codeProvenAt,
        sharesProvenAt: before.sharesProvenAt,
        lastCheck: before.lastCheck,
        epoch: before.epoch,
        olderStates: before.olderStates,
        removed: before.removed,
      }
    : incoming;
}

async function openLetter(sealingKeys: readonly Buffer[], sealed: string): Promise<Letter | null> {
  for (const key of sealingKeys) {
    try {
      const envelope = z.strictObject({ enc: z.string(), ct: z.string() }).parse(JSON.parse(sealed));
      const plain = await openEnvelope(key, INBOX_PURPOSE, envelope);
      if (plain) return letterSchema.parse(JSON.parse(plain.toString("utf8")));
    } catch {
      return null;
    }
  }
  return null;
}
