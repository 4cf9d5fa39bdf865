import * as z from "zod";
import { EremosError, damage } from "../errors/eremos-error";
import { type Json, canonicalJson, checksumOf } from "./canonical-json";
import { said, say } from "@eremos/words/core/format";

/**
 * Small records (owner, header, generation, key, state, …) share one frame. A record file is the canonical JSON of one
 * object and a line feed, nothing else, so that there is one way to write it; with a checksum, and with room for what
 * later versions add. FORMAT.md §2.4.
 */
export const FORMAT_VERSION = 2;

const extensionName = z.string().regex(/^[a-z0-9-]{1,40}$/);
const framed = {
  version: z.literal(FORMAT_VERSION),
  /**
   * What later versions, or others, add. Whoever does not know one leaves it alone, and writes it again with the
   * record.
   */
  extensions: z.record(
    extensionName,
    z.custom<Json>((value) => value !== undefined),
  ),
  /** Names of extensions that a reader has to know, sorted. */
  critical: z.array(extensionName),
};

/** Extensions that this version knows: none yet. */
const KNOWN_EXTENSIONS: readonly string[] = [];

/** The members that every record of a kind has when it is made. */
export function newFrame<F extends string>(
  format: F,
): {
  readonly format: F;
  readonly version: typeof FORMAT_VERSION;
  readonly extensions: Record<string, Json>;
  readonly critical: string[];
} {
  return { format, version: FORMAT_VERSION, extensions: {}, critical: [] };
}

/** The schema of one kind of record. Members that it does not name are damage: what is new stands in `extensions`. */
// eslint-disable-next-line @typescript-eslint/explicit-module-boundary-types -- The type is Zod's own.
export function recordSchema<F extends string, S extends z.core.$ZodLooseShape>(format: F, shape: S) {
  return z.strictObject({ format: z.literal(format), ...framed, ...shape }).superRefine((record, context) => {
    const { extensions, critical } = record as unknown as Extended;
    const isSorted = critical.every((name, i) => i === 0 || (critical[i - 1] ?? "") < name);
    if (!isSorted || critical.some((name) => !Object.hasOwn(extensions, name)))
      context.addIssue({ code: "custom", message: say("critical-names-what-is-not") });
    for (const name of critical)
      if (!KNOWN_EXTENSIONS.includes(name))
        context.addIssue({ code: "custom", message: "unknown", params: { unknown: name } });
  });
}

interface Extended {
  readonly extensions: Readonly<Record<string, Json>>;
  readonly critical: readonly string[];
}

export function writeRecord(record: Json & object): Buffer {
  return Buffer.concat([canonicalJson({ ...record, checksum: checksumOf(record) }), LINE_FEED]);
}

const LINE_FEED = Buffer.from("\n");

/**
 * Parses and checks one record, which `what` names for people. A newer version and damage are told apart.
 * @throws EremosError `damaged` | `unknown-version` (of another version, or with a critical extension that is not
 * known)
 */
export function readRecord<S extends z.ZodType>(
  bytes: Uint8Array,
  schema: S,
  what: string,
  maxBytes: number,
): z.output<S> {
  if (bytes.length > maxBytes) throw damaged(what, say("it-is-too-large"));
  const value = parse(bytes);
  if (value === null) throw damaged(what, say("it-is-not-readable-json"));
  const { checksum, ...record } = value;
  const { version } = record;
  if (typeof version === "number" && version !== FORMAT_VERSION)
    throw new EremosError(
      "unknown-version",
      said("is-version-format-and-this", { what, version, formatVersion: FORMAT_VERSION }),
    );
  if (!isCanonical(bytes, value)) throw damaged(what, say("it-is-not-written-one"));
  if (checksum !== checksumOf(record)) throw damaged(what, say("its-checksum-does-not-match"));
  const parsed = schema.safeParse(record);
  if (parsed.success) return parsed.data;
  const unknown = parsed.error.issues.flatMap((issue) =>
    issue.code === "custom" && typeof issue.params?.["unknown"] === "string" ? [issue.params["unknown"]] : [],
  );
  if (unknown.length > 0 && unknown.length === parsed.error.issues.length)
    throw new EremosError("unknown-version", said("uses-what-this-eremos-does", { what, unknown: unknown.join(", ") }));
  throw damaged(what, say("field-is-missing-or-malformed"));
}

function parse(bytes: Uint8Array): Record<string, Json> | null {
  try {
    const value: unknown = JSON.parse(Buffer.from(bytes).toString("utf8"));
    return typeof value === "object" && value !== null && !Array.isArray(value)
      ? (value as Record<string, Json>)
      : null;
  } catch {
    return null;
  }
}

/**
 * Two members of one name, another order, another form of a number, and whatever stands beside the object show here.
 */
function isCanonical(bytes: Uint8Array, value: Record<string, Json>): boolean {
  try {
    return Buffer.concat([canonicalJson(value), LINE_FEED]).equals(bytes);
  } catch (error) {
    // A number that is none, or nesting without end.
    if (error instanceof RangeError) return false;
    throw error;
  }
}

function damaged(what: string, why: string): EremosError {
  return damage(said("is-damaged", { what, why }));
}
