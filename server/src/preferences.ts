import { eq } from "drizzle-orm";
import * as z from "zod";
import type { OffLimitsEdits } from "@eremos/core";
import {
  checkEveryDaysSchema,
  deskSchema,
  effortSchema,
  idleSignOutMinutesSchema,
  keepEarlierSchema,
  keepHistorySchema,
  lockingRulesSchema,
  namedSchema,
  noticeKindSchema,
  noticesSchema,
  offLimitsViewSchema,
  themeSchema,
} from "./calls/shapes/rules";
import { USUAL_CHOICE, chosenSchema } from "./calls/shapes/folders";
import type { PreferencesView } from "./contract";
import { lazily } from "./database/lazily";
import type { OpenDatabase } from "./database/open";
import { preferences } from "./database/schema";
import { STANDARD_RULES } from "./locking-rules";

const preferencesSchema = z.strictObject({
  theme: themeSchema.default("system"),
  rules: lockingRulesSchema.default(STANDARD_RULES),
  idleSignOutMinutes: idleSignOutMinutesSchema.default(15),
  effort: effortSchema.default("standard"),
  synced: namedSchema.default([]),
  places: namedSchema.default([]),
  keepEarlier: keepEarlierSchema.default(1),
  checkEveryDays: checkEveryDaysSchema.default(30),
  keepHistory: keepHistorySchema.default("for-good"),
  desk: deskSchema.default({ sort: "state", isDescending: false, isTable: false }),
  chosen: chosenSchema.default(USUAL_CHOICE),
  shortcut: z.boolean().default(false),
  notices: noticesSchema.default({ kinds: noticeKindSchema.options, quiet: null, names: "unlocked" }),
});
const storedSchema = preferencesSchema.extend({
  offLimits: offLimitsViewSchema.default({ added: [], removed: [] }),
  /** When it was last told that a way back is to be practised: milliseconds since 1970. */
  practiceToldAt: z.number().default(0),
});
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

  private readonly kept = lazily(() =>
    this.database.orm.select().from(preferences).where(eq(preferences.id, ROW)).prepare(),
  );

  private stored(): Stored {
    const row = this.kept().get();
    return storedSchema.safeParse(row ? jsonOf(row.json) : {}).data ?? storedSchema.parse({});
  }

  get(): PreferencesView {
    const { offLimits: _offLimits, practiceToldAt: _practiceToldAt, ...preferences } = this.stored();
    return preferences;
  }

  get practiceToldAt(): number {
    return this.stored().practiceToldAt;
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
