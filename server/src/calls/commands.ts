/**
 * What each command of the command line answers with `--json`, on standard output. Like the calls: the command line's
 * types and a check of what it says follow from this table, and docs/API.md.
 */
import * as z from "zod";
import {
  folderViewSchema,
  guardSchema,
  leftOutSchema,
  leftTracesSchema,
  mediumViewSchema,
  onlookViewSchema,
  tracesViewSchema,
  visibilitySchema,
} from "./shapes/folders";
import { stayedOutSchema } from "./shapes/hand-over";
import { activityViewSchema } from "./shapes/activity";
import { desktopViewSchema, namedFolderSchema, newKeysViewSchema } from "./shapes/owner";
import { insuranceViewSchema, keyholdersViewSchema, practiceViewSchema, takenInSchema } from "./shapes/ways-back";

const namedFoldersSchema = z.array(namedFolderSchema).readonly();
/** From which byte to before which. */
const rangesSchema = z.array(z.object({ from: z.number(), until: z.number() })).readonly();
const damageSchema = z.object({ path: z.string(), reason: z.string(), ranges: rangesSchema.optional() });
const damagedPartSchema = z.object({ path: z.string(), ranges: rangesSchema });
const left = z.object({ left: namedFoldersSchema });
const address = z.string();
const onlookKind = onlookViewSchema.unwrap().shape.kinds.unwrap().element.unwrap();

/** One of several that failed. */
const failedOneSchema = z.object({ path: z.string(), error: z.object({ code: z.string(), message: z.string() }) });
export type FailedOne = z.output<typeof failedOneSchema>;

/** Of one path what it became; of several a list, in the order in which they were given. */
function oneOrSeveral<S extends z.ZodType>(one: S) {
  return z.union([one, z.array(z.union([failedOneSchema, one]))]);
}

const lockedSchema = z.object({
  id: z.string(),
  path: z.string(),
  realPath: z.string(),
  files: z.number(),
  bytes: z.number(),
  generation: z.number(),
});

export const COMMAND_RESULTS = {
  setup: z.object({ recoveryCode: z.string() }),
  /** Without a path the master password, with one the folder's. */
  passwd: z.union([left, z.object({ hasPassword: z.boolean() })]),
  list: z.object({
    folders: z
      .array(
        folderViewSchema.unwrap().pick({
          id: true,
          kind: true,
          path: true,
          realPath: true,
          guard: true,
          visibility: true,
          cover: true,
          bars: true,
          hasPassword: true,
          state: true,
          removed: true,
          files: true,
          bytes: true,
        }),
      )
      .readonly(),
  }),
  lock: oneOrSeveral(lockedSchema),
  new: oneOrSeveral(lockedSchema),
  /** Without a path all that lie open, else those that are named. */
  close: z.union([
    z.object({ locked: z.array(z.string()).readonly(), left: z.array(leftOutSchema).readonly() }),
    oneOrSeveral(z.object({ path: z.string() })),
  ]),
  unlock: oneOrSeveral(z.object({ id: z.string(), path: z.string(), files: z.number(), bytes: z.number() })),
  visit: z.object({ url: z.string(), user: z.string(), password: z.string() }),
  /** `left`: with `--move`, originals that stay, and why. */
  drop: z.object({ files: z.number(), left: z.array(leftOutSchema).readonly().optional() }),
  release: oneOrSeveral(z.object({ path: z.string() })),
  /** With `--without-password` the pieces. */
  check: z.union([
    z.object({ ok: z.boolean(), damaged: z.array(damageSchema).readonly() }),
    z.object({
      pieces: z.number(),
      arrived: z.number(),
      bytes: z.number(),
      damaged: z.array(damageSchema).readonly(),
    }),
  ]),
  insure: insuranceViewSchema,
  repair: z.object({
    repaired: z.array(damagedPartSchema).readonly(),
    lost: z.array(damagedPartSchema).readonly(),
    ownDamage: z.boolean(),
  }),
  /** Without a path the master password, with one what was listed again. */
  recover: z.union([takenInSchema, left]),
  practice: z.object({ folders: practiceViewSchema.unwrap().shape.folders }),
  /** Without names those there are, or null; else the shares. */
  keyholders: z.union([
    z.object({
      shares: z.array(z.object({ name: z.string(), share: z.string() })).readonly(),
      left: namedFoldersSchema,
    }),
    keyholdersViewSchema.nullable(),
  ]),
  "new-keys": newKeysViewSchema.unwrap().extend({ recoveryCode: z.string().optional() }),
  mend: z.object({ mended: z.array(z.string()).readonly() }),
  scan: z.object({
    found: z
      .array(
        z.object({
          path: z.string(),
          folder: z.string().nullable(),
          owner: z.string().nullable(),
          signing: z.string().nullable(),
          guard: guardSchema.nullable(),
          isOpen: z.boolean().nullable(),
          visibility: visibilitySchema.nullable(),
          hasPassword: z.boolean(),
          hint: z.string().nullable(),
          generation: z.number().nullable(),
          lockedAt: z.number().nullable(),
          problems: z.array(z.string()).readonly(),
        }),
      )
      .readonly(),
    directories: z.number(),
    unreadable: z.array(z.string()).readonly(),
    stopped: z.boolean(),
  }),
  rescue: z.object({
    guard: guardSchema,
    generation: z.number().nullable(),
    place: z.string().nullable(),
    files: z.number(),
    bytes: z.number(),
    damaged: z
      .array(
        z.object({
          path: z.string(),
          size: z.number(),
          lost: z.array(z.object({ offset: z.number(), length: z.number() })).readonly(),
        }),
      )
      .readonly(),
    problems: z.array(z.string()).readonly(),
    notGiven: z.array(z.string()).readonly(),
  }),
  /** The newest first. */
  activity: z.object({ events: z.array(activityViewSchema).readonly() }),
  traces: z.object({
    ...tracesViewSchema.unwrap().shape,
    /** How many were cleared, and how many lists and files were put back; null: that was not asked. */
    cleared: z.number().nullable(),
    back: z.number().nullable(),
    left: leftTracesSchema,
  }),
  /** Of paths what went; with `--free` how much of the free space. */
  overwrite: z.union([
    z.object({
      files: z.number(),
      bytes: z.number(),
      /** Files that shared space with copies or snapshots, which still hold the contents. */
      shared: z.number(),
      left: z.array(leftOutSchema).readonly(),
      reaches: mediumViewSchema,
    }),
    z.object({ free: z.number(), ended: z.enum(["room", "needed-by-others", "cancelled"]), reaches: mediumViewSchema }),
  ]),
  remove: z.object({ path: z.string(), daysLeft: z.number().nullable(), back: z.boolean() }),
  onlooker: z.object({ place: z.string(), kinds: z.array(onlookKind.omit({ brief: true })).readonly() }),
  page: z.object({ address, shown: z.boolean() }),
  /** Without the password: no name is told. */
  status: z.object({ version: z.string(), running: z.boolean(), protected: z.number(), open: z.number() }),
  integrate: desktopViewSchema,
  "hand-over": z.object({
    path: z.string(),
    files: z.number(),
    /** Of what went in, and of the package. */
    bytes: z.number(),
    size: z.number(),
    sha256: z.string().nullable(),
    left: z.array(stayedOutSchema).readonly(),
    /** The package's password, where it was made here. */
    words: z.string().nullable(),
  }),
  receive: z.object({
    path: z.string(),
    files: z.number(),
    bytes: z.number(),
    form: z.enum(["page", "zip"]),
    cipher: z.enum(["none", "weak", "aes"]),
    left: z.array(stayedOutSchema).readonly(),
    locked: z.boolean(),
  }),
  desktop: z.object({}),
  /** What there was to tell, a line for each. */
  menu: z.object({ told: z.array(z.string()).readonly() }),
  serve: z.object({ address }),
} as const;

export type CommandName = keyof typeof COMMAND_RESULTS;
export type ResultOf<N extends CommandName> = z.input<(typeof COMMAND_RESULTS)[N]>;
