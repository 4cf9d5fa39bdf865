import * as z from "zod";
import { CONSENTS } from "@eremos/core/choices";
import { anybody, nothing, owner, startedSchema } from "./call";
import {
  askedSchema,
  closedUpSchema,
  droppedFoundSchema,
  folderViewSchema,
  guardSchema,
  jobViewSchema,
  keptTracesSchema,
  mediumViewSchema,
  movedBackSchema,
  movedInSchema,
  onlookViewSchema,
  placeEntrySchema,
  placeListingSchema,
  planViewSchema,
  protectionSchema,
  reachViewSchema,
  traceKindSchema,
  tracesBackSchema,
  tracesViewSchema,
  visibilitySchema,
} from "./shapes/folders";
import { lockingRulesSchema, openingModeSchema, passesSchema, textSchema as text } from "./shapes/rules";
import { newFolderPasswordSchema, secretSchema } from "./shapes/secrets";
import { insuranceSchema, insuranceViewSchema } from "./shapes/ways-back";

const name = z.string().min(1).max(255);
const size = z.int().nonnegative().nullable();
const kind = z.enum(["dir", "file"]);
const MOST_ENTRIES = 150;
/** Something dropped on the page, as far as a browser tells: sizes in bytes, null where it does not. */
const droppedSchema = z.strictObject({
  name,
  type: kind,
  size,
  /** The entries are all there are. */
  complete: z.boolean(),
  entries: z
    .array(z.strictObject({ name, type: kind, size }))
    .max(MOST_ENTRIES)
    .readonly(),
});
export type Dropped = z.output<typeof droppedSchema>;

const folder = z.strictObject({ folder: text });
const secret = secretSchema.nullable().default(null);
/** A folder that is to be opened, what the owner goes on with, and its own password. */
export const openedSchema = folder.extend({
  accept: z.array(z.enum(CONSENTS)).max(CONSENTS.length).default([]),
  secret,
});
const path = z.strictObject({ path: text });

/** Protected folders, places, and the work on them. */
export const FOLDER_CALLS = {
  folders: owner(
    "The protected folders, each as the disk says it is now.",
    nothing,
    z.array(folderViewSchema).readonly(),
  ),
  jobs: owner("What is being done, and how the last jobs ended.", nothing, z.array(jobViewSchema).readonly()),
  "jobs/cancel": owner(
    "Asks a job to stop and put everything back.",
    z.strictObject({ job: text }),
    z.strictObject({ asked: z.boolean() }),
  ),
  "places/roots": owner("The roots a person may walk.", nothing, z.array(placeEntrySchema).readonly()),
  "places/list": owner("One directory of a place.", path, placeListingSchema),
  "places/complete": owner(
    "Paths that continue what was typed.",
    z.strictObject({ typed: text }),
    z.array(z.string()).readonly(),
  ),
  "places/make-room": owner(
    "Gives what lies where another protected folder belongs a free name beside it.",
    path,
    path,
  ),
  "places/find": owner("Where something lies that was dropped on the page.", droppedSchema, droppedFoundSchema),
  onlooker: owner(
    "What each kind of somebody sees at a place now.",
    path.extend({ subject: text.nullable() }),
    onlookViewSchema,
  ),
  traces: owner(
    "What lies elsewhere on this account's desktop and tells of a folder; by what is in it, too, where that is asked.",
    folder.extend({ byInside: z.boolean().default(false) }),
    tracesViewSchema,
  ),
  "traces/counts": owner(
    "How much elsewhere tells of each of several folders, by their paths alone.",
    z.strictObject({ folders: z.array(text).max(200).readonly() }),
    z.array(z.object({ folder: z.string(), traces: z.number() }).readonly()).readonly(),
  ),
  "traces/clear": owner(
    "Clears traces of a folder: those named, all of the kinds, or what surely belongs to it. What goes is kept for seven days, if asked; what is overwritten is not kept.",
    folder.extend({
      ids: z.array(z.string().length(32)).max(20_000).readonly().nullable(),
      kinds: z.array(traceKindSchema).readonly().nullable().default(null),
      onlySure: z.boolean().default(true),
      byInside: z.boolean().default(false),
      keep: z.boolean().default(true),
      overwrite: z.union([z.literal(0), passesSchema]).default(0),
    }),
    startedSchema,
  ),
  "traces/kept": owner("What was cleared and can be put back.", nothing, z.array(keptTracesSchema).readonly()),
  "traces/put-back": owner(
    "Puts what was cleared together back where it was.",
    z.strictObject({ kept: text }),
    tracesBackSchema,
  ),
  medium: owner("What overwriting reaches on the disk that a path lies on.", path, mediumViewSchema),
  overwrite: owner(
    "Writes over files and folders with random bytes, and removes them. What can't go is left and named.",
    z.strictObject({
      paths: z.array(text).min(1).max(1000).readonly(),
      passes: passesSchema.default(1),
      allNames: z.boolean().default(false),
    }),
    startedSchema,
  ),
  asked: owner(
    "What was chosen in the file manager, and what for, once: the page asks.",
    nothing,
    askedSchema.nullable(),
  ),
  "overwrite/free": owner("Writes over the free space of the disk that a directory lies on.", path, startedSchema),
  reach: owner("Who could get how far at a protected folder.", folder, z.array(reachViewSchema).readonly()),
  plan: owner(
    "What locking a folder would take, or why it can't be locked. Touches nothing.",
    path.extend({ guard: guardSchema, visibility: visibilitySchema }),
    planViewSchema,
  ),
  lock: owner(
    "Locks a folder, or an open one again; without a protection as it was.",
    path.extend({
      protection: protectionSchema.nullable(),
      inUseAnyway: z.boolean().default(false),
      password: newFolderPasswordSchema.nullable().default(null),
      /** How often the readable copy is written over, now and from now on; absent: as before. */
      overwrites: z.union([z.literal(0), passesSchema]).exactOptional(),
    }),
    startedSchema,
  ),
  new: owner(
    "Makes a private folder that is locked before anything is in it.",
    path.extend({ protection: protectionSchema, password: newFolderPasswordSchema.nullable().default(null) }),
    startedSchema,
  ),
  "move-in": owner(
    "Puts files and folders into a locked folder; each original goes when what was put in was read back, where it is not to stay.",
    folder.extend({ paths: z.array(text).min(1).max(1000).readonly(), originals: z.enum(["remove", "trash", "stay"]) }),
    movedInSchema,
  ),
  "move-in/take-back": owner(
    "What was moved in last goes back to where it was, while the folder was not opened since.",
    folder.extend({ secret }),
    movedBackSchema,
  ),
  show: owner(
    "Shows what lies at a path in the file manager, what is inside it there, or a file in its program.",
    path.extend({ in: z.enum(["manager", "inside", "program"]).default("manager") }),
    nothing,
  ),
  unlock: owner(
    "Opens a folder in place.",
    openedSchema.extend({ mode: openingModeSchema.default({ kind: "usual" }) }),
    startedSchema,
  ),
  release: owner("Takes protection off for good.", openedSchema, startedSchema),
  remove: owner(
    "Puts a folder into Eremos' trash: locked and out of sight on its own disk, for so many days. The job, where it has to be locked first.",
    folder.extend({ days: z.int().min(1).max(365).default(30) }),
    z.strictObject({ job: z.string().nullable() }),
  ),
  "remove/put-back": owner("A folder in the trash is back where it was, locked as before.", folder, nothing),
  "remove/now": owner(
    "Removes a folder for good with what is in it; its name is typed. What opens it goes first.",
    folder.extend({
      name: text,
      passes: z.union([z.literal(0), passesSchema]).default(0),
      history: z.boolean().default(false),
      traces: z.boolean().default(false),
    }),
    z.strictObject({ job: z.string().nullable() }),
  ),
  check: owner(
    "Reads and authenticates the encrypted copy, or a sample of it.",
    openedSchema.extend({ sample: z.boolean().default(false) }),
    startedSchema,
  ),
  "close-up": owner(
    "Locks everything that is open.",
    z.strictObject({ inUseAnyway: z.boolean().default(false) }),
    closedUpSchema,
  ),
  // Locking needs no password; of what could not be locked, nobody at the gate hears more than that there is some.
  "gate/close-up": anybody(
    "Locks everything that is open, from the gate.",
    nothing,
    z.strictObject({ locking: z.number(), left: z.number() }),
  ),
  "keep-open": owner(
    "An open folder stays open for so many minutes from now.",
    folder.extend({
      minutes: z
        .int()
        .min(1)
        .max(24 * 60),
    }),
    nothing,
  ),
  protection: owner(
    "How a folder is locked, from now on; the job, where every file has to be read and written for it.",
    folder.extend({ protection: protectionSchema, secret }),
    z.strictObject({ job: z.string().nullable() }),
  ),
  rules: owner(
    "A folder's own locking rules, or none.",
    folder.extend({ rules: lockingRulesSchema.nullable() }),
    nothing,
  ),
  "folder-password": owner(
    "A folder's own password: another, a first, or none.",
    folder.extend({ secret: secretSchema.nullable(), password: newFolderPasswordSchema.nullable() }),
    nothing,
  ),
  insurance: owner("How much a folder is insured, and what more would cost.", folder, insuranceViewSchema),
  "insurance/set": owner(
    "Insures a locked folder, otherwise than before, or no more.",
    folder.extend({ insurance: insuranceSchema.nullable() }),
    startedSchema,
  ),
  repair: owner("Finds damage by the insurance, and repairs it.", folder.extend({ secret }), startedSchema),
} as const;
