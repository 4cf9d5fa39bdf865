import { EremosError, isEremosError } from "../errors/eremos-error";
import { type GuardRecord, readGuard } from "../format/guard-record";
import {
  type FolderHeader,
  type Head,
  MAX_HEADER_BYTES,
  hasOwnPassword,
  headFrom,
  hintOf,
  readHeader,
} from "../format/header";
import type { OwnerEnvelope } from "../format/owner";
import type { StateRecord } from "../format/state";
import { type RescueSource, readWhole } from "./source";
import { findState } from "./state-record";
import { said, say } from "@eremos/words/core/rescue";

/** What can be said of a locked folder without a key. */
export interface LockedFound {
  /** Digests of the states that other computers' records name. */
  readonly named: ReadonlySet<string>;
  readonly folder: string;
  /** Its whole headers, with what they name. */
  readonly heads: readonly Head[];
  readonly state: StateRecord | null;
  readonly hasPassword: boolean;
  /** Readable hint to the folder's own password. */
  readonly hint: string | null;
  readonly problems: readonly string[];
}

/**
 * What a sealed folder says of itself. @throws EremosError `not-protected` where there is nothing of one, `damaged`
 * where both headers are, `unknown-version`
 */
export async function findLocked(source: RescueSource): Promise<LockedFound> {
  const problems: string[] = [];
  const headers: FolderHeader[] = [];
  let isThere = false;
  // An insured folder has a third copy.
  const insured = (await source.list(".eremos/insurance")).includes("header.json") ? ["insurance/header.json"] : [];
  for (const name of ["header.json", "header.twin.json", ...insured]) {
    const bytes = await readWhole(source, `.eremos/${name}`, MAX_HEADER_BYTES);
    isThere ||= bytes !== null;
    try {
      if (bytes) headers.push(readHeader(bytes));
      else problems.push(say("eremos-is-missing", { name }));
    } catch (error) {
      if (!isEremosError(error) || error.code === "unknown-version") throw error;
      problems.push(`.eremos/${name}: ${error.message}`);
    }
  }
  if (headers.length === 0 && !isThere && (await source.list(".eremos")).length === 0)
    throw new EremosError("not-protected", said("there-is-nothing-eremos-in"));
  const seen = new Set<string>();
  const heads = await Promise.all(
    headers
      .filter(({ signature }) => !seen.has(signature) && seen.add(signature))
      .map((header) => headIn(source, header, problems)),
  );
  const [head] = heads;
  if (!head) throw new EremosError("damaged", said("both-copies-this-folders-header"));
  const { record: state, named, problems: ofState } = await findState(source);
  problems.push(...ofState);
  return {
    folder: head.header.folder,
    heads,
    state,
    named,
    hasPassword: hasOwnPassword(head),
    hint: hintOf(head),
    problems,
  };
}

async function headIn(source: RescueSource, header: FolderHeader, problems: string[]): Promise<Head> {
  const found = new Map<string, Buffer[]>();
  for (const directory of ["slots", "members"] as const) {
    for (const digest of header[directory]) {
      const copies = await Promise.all(
        placesOf(directory, `${digest}.json`).map((path) => readWhole(source, path, MAX_HEADER_BYTES)),
      );
      found.set(
        digest,
        copies.filter((bytes) => bytes !== null),
      );
    }
  }
  const head = headFrom(header, (digest) => found.get(digest) ?? []);
  if (head.slots.length < header.slots.length) problems.push(say("not-every-way-into-this"));
  return head;
}

/** Where a record may lie: at its place, as its twin, and as the third copy of an insured folder. */
export function placesOf(
  directory: "slots" | "members" | "generations" | "keys" | "manifests" | "drops",
  name: string,
): string[] {
  const twin = name.endsWith(".json") ? name.replace(/\.json$/, ".twin.json") : `${name}.twin`;
  return [`.eremos/${directory}/${name}`, `.eremos/${directory}/${twin}`, `.eremos/insurance/${directory}.${name}`];
}

/** The record of a folder that is barred or out of sight, of the first of its two copies that is whole; null for any other. */
export async function readGuardIn(source: RescueSource): Promise<GuardRecord | null> {
  const copies = await Promise.all(
    ["guard.json", "guard.twin.json"].map((name) => readWhole(source, `.eremos/${name}`)),
  );
  const there = copies.filter((bytes) => bytes !== null);
  const whole = there
    .map((bytes) =>
      attempt(
        () => readGuard(bytes),
        () => undefined,
      ),
    )
    .find((record) => record !== null);
  const [first] = there;
  // Neither is whole: whoever asks learns why.
  return whole ?? (first ? readGuard(first) : null);
}

/** Whose a folder is that is barred or out of sight; null for any other. */
export async function readGuardOwner(source: RescueSource): Promise<OwnerEnvelope | null> {
  return (await readGuardIn(source))?.owner ?? null;
}

export function attempt<T>(make: () => T, failed: (error: EremosError) => void): T | null {
  try {
    return make();
  } catch (error) {
    if (!isEremosError(error)) throw error;
    failed(error);
    return null;
  }
}
