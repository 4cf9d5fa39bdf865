import { eq } from "drizzle-orm";
import * as z from "zod";
import type { OffLimitsEdits } from "@eremos/core";
import type { PreferencesView } from "./contract";
import type { OpenDatabase } from "./database/open";
import { preferences } from "./database/schema";
import { STANDARD_RULES, rulesSchema } from "./locking-rules";

const path = z
  .string()
  .trim()
  .min(1)
  .max(4096)
  .refine((value) => value.startsWith("/") && !value.includes("\0"), "a full path");
export const offLimitsSchema = z.strictObject({
  added: z.array(z.strictObject({ path, reason: z.string().trim().max(200) })).max(200),
  removed: z.array(z.string().max(4096)).max(200),
});

export const effortSchema = z.enum(["light", "standard", "heavy"]);
const synced = z.array(path).max(50).readonly();
const keepEarlier = z.int().min(0).max(20);
const checkEveryDays = z.int().min(0).max(365);
const idleMinutes = z
  .int()
  .min(1)
  .max(24 * 60)
  .nullable();
const theme = z.enum(["light", "dark", "system"]);
const preferencesSchema = z.strictObject({
  theme: theme.default("system"),
  rules: rulesSchema.default(STANDARD_RULES),
  idleSignOutMinutes: idleMinutes.default(15),
  effort: effortSchema.default("standard"),
  synced: synced.default([]),
  keepEarlier: keepEarlier.default(1),
  checkEveryDays: checkEveryDays.default(30),
});
/** A change names only what it changes, so that two at once do not undo one another. */
export const preferencesChangeSchema = z.strictObject({
  theme: theme.exactOptional(),
  rules: rulesSchema.exactOptional(),
  idleSignOutMinutes: idleMinutes.exactOptional(),
  synced: synced.exactOptional(),
  keepEarlier: keepEarlier.exactOptional(),
  checkEveryDays: checkEveryDays.exactOptional(),
});
const storedSchema = preferencesSchema.extend({ offLimits: offLimitsSchema.default({ added: [], removed: [] }) });
type Stored = z.output<typeof storedSchema>;

const ROW = 1;

/** Settings that can't be read are the usual ones again. */
function jsonOf(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return {};
  }
}

/** What the owner set for everything. Kept readable, since locking by itself must work while nobody is signed in. */
export class Preferences {
  constructor(private readonly database: OpenDatabase) {}

  private stored(): Stored {
    const row = this.database.orm.select().from(preferences).where(eq(preferences.id, ROW)).get();
    return storedSchema.safeParse(row ? jsonOf(row.json) : {}).data ?? storedSchema.parse({});
  }

  get(): PreferencesView {
    const { offLimits: _offLimits, ...preferences } = this.stored();
    return preferences;
  }

  get offLimits(): OffLimitsEdits {
    return this.stored().offLimits;
  }

  set(change: Partial<Stored>): void {
    const json = JSON.stringify(storedSchema.parse({ ...this.stored(), ...change }));
    this.database.orm
      .insert(preferences)
      .values({ id: ROW, json })
      .onConflictDoUpdate({ target: preferences.id, set: { json } })
      .run();
  }
}
