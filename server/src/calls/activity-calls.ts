import * as z from "zod";
import { nothing, owner } from "./call";
import {
  activityAskedSchema,
  activityFilterSchema,
  activityPageSchema,
  chartsViewSchema,
  exportFormatSchema,
  sinceViewSchema,
} from "./shapes/activity";
import { keepHistorySchema, textSchema as text } from "./shapes/rules";

/** An id; null: all. What it lies on need not answer: the history does. */
const folder = text.nullable();

/** What is written down of what happens. */
export const ACTIVITY_CALLS = {
  activity: owner(
    "What happened, the newest first, as far as it is asked for.",
    activityAskedSchema,
    activityPageSchema,
  ),
  "activity/charts": owner(
    "What the charts show from a time on until another, null: from the first entry until now; of one folder, or of all.",
    z.strictObject({ of: folder, from: z.number().nullable(), until: z.number().nullable() }),
    chartsViewSchema,
  ),
  "activity/since": owner("What matters of what happened since somebody was last here.", nothing, sinceViewSchema),
  "activity/keep": owner(
    "How long what happened stays written down.",
    z.strictObject({ keep: keepHistorySchema }),
    nothing,
  ),
  "activity/clear": owner(
    "What was written down goes, of one folder or all of it.",
    z.strictObject({ of: folder }),
    z.object({ cleared: z.number() }),
  ),
  "activity/export": owner(
    "Writes what is asked for into a readable file in a directory, and says where it is; null: where downloads go.",
    z.strictObject({ format: exportFormatSchema, filter: activityFilterSchema, path: text.nullable() }),
    z.object({ path: z.string(), entries: z.number() }),
  ),
} as const;
