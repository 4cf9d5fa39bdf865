import * as z from "zod";
import { anybody, nothing, owner, startedSchema } from "./call";
import { openedSchema } from "./folder-calls";
import { textSchema as text } from "./shapes/rules";
import { secretSchema } from "./shapes/secrets";
import { lastLockViewSchema, visitReplySchema, visitViewSchema } from "./shapes/visits";

const href = z.string().max(16_384);
const hrefs = z.array(href).max(10_000).readonly();
const some = z.array(href).min(1).max(10_000).readonly();
const generation = z.int().positive();

/** Paths are hrefs: names percent-encoded, after slashes. */
const visitCallSchema = z.discriminatedUnion("kind", [
  z.strictObject({ kind: z.literal("list"), href }),
  z.strictObject({ kind: z.literal("search"), href, name: text.min(1) }),
  z.strictObject({ kind: z.literal("make-directory"), href }),
  z.strictObject({ kind: z.literal("remove"), hrefs: some }),
  /** All of them, or none: one change, which one undo takes back. */
  z.strictObject({
    kind: z.literal("move"),
    moves: z
      .array(z.strictObject({ href, to: href }))
      .min(1)
      .max(10_000)
      .readonly(),
  }),
  /** Files that wait in the drop slot; the hrefs of the entries are their ids. */
  z.strictObject({ kind: z.literal("arrivals") }),
  z.strictObject({ kind: z.enum(["take-in", "discard"]), ids: z.array(text).min(1).max(10_000).readonly() }),
  /** Earlier states that are kept. */
  z.strictObject({ kind: z.literal("earlier") }),
  z.strictObject({ kind: z.literal("changes-since"), generation }),
  /** Null: everything. */
  z.strictObject({ kind: z.literal("put-back"), generation, hrefs: hrefs.nullable() }),
  z.strictObject({ kind: z.literal("undo") }),
]);
export type VisitCall = z.output<typeof visitCallSchema>;

const folder = z.strictObject({ folder: text });

/** Looking into a sealed folder, and what it was before. */
export const VISIT_CALLS = {
  "visit/start": owner(
    "Looks into a sealed folder, with nothing readable on the disk.",
    openedSchema.extend({
      minutes: z
        .int()
        .min(1)
        .max(24 * 60)
        .nullable(),
    }),
    visitViewSchema,
  ),
  "visit/end": owner("Ends a visit; what was changed in it is kept.", folder, nothing),
  "visit/call": owner("One thing in a visit.", folder.extend({ call: visitCallSchema }), visitReplySchema),
  "visit/mount": owner("Shows a visit as a drive in the file manager.", folder, nothing),
  "visit/open": owner(
    "Opens a file of a visit in the program that the desktop has for it, off the drive.",
    folder.extend({ href }),
    nothing,
  ),
  "visit/ends-with-programs": owner(
    "Whether a visit ends when the programs have let go of what was opened in them.",
    folder.extend({ on: z.boolean() }),
    nothing,
  ),
  "visit/archive": owner(
    "The address of one archive with several entries of a visit.",
    folder.extend({ hrefs: some }),
    z.strictObject({ href: z.string() }),
  ),
  slot: anybody(
    "Whether files can be put into a folder that stands locked in view.",
    folder,
    z.strictObject({ takes: z.boolean() }),
  ),
  "last-lock": owner(
    "What changed in an open folder since its last lock.",
    folder.extend({ secret: secretSchema.nullable().default(null) }),
    lastLockViewSchema,
  ),
  "put-back": owner(
    "Puts an open folder, or entries of it, back as they were at its last lock.",
    folder.extend({ generation, hrefs: hrefs.nullable(), secret: secretSchema.nullable().default(null) }),
    startedSchema,
  ),
} as const;
