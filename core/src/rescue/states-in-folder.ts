import { damage, isEremosError } from "../errors/eremos-error";
import {
  type Generation,
  batchOf,
  generationName,
  generationNames,
  readGeneration,
  refOf,
  segmentsOf,
} from "../format/generation";
import type { Head } from "../format/header";
import { type Manifest, decodeManifest } from "../format/manifest";
import { type ContentKeys, type KeyName } from "../format/object";
import type { StateRecord } from "../format/state";
import { TreeReader, sourceOf } from "../format/tree";
import { SealedObject, isWholeIn, objectPath } from "./sealed-object";
import { type RescueSource, readWhole } from "./source";
import { said } from "@eremos/words/core/rescue";
import { attempt, placesOf } from "./find-locked";

/**
 * The newest state that came from the one that the record names, is here throughout, and has somebody known behind it;
 * null: none. What was being written and was cut off is none.
 */
export async function laterThan(
  source: RescueSource,
  { generation: present, next, mixed }: StateRecord,
  isVouchedFor: (record: Generation) => boolean,
): Promise<Generation | null> {
  if (!present || mixed) return null;
  const records = new Map<string, Generation>();
  for (const name of await generationsOf(source, null)) {
    const record = await recordNamed(source, name);
    if (record) records.set(refOf(record).digest, record);
  }
  const comesFrom = ({ parents }: Generation): boolean =>
    parents.some(({ digest, number }) => {
      const parent = records.get(digest);
      return digest === present.digest || (number > present.number && parent !== undefined && comesFrom(parent));
    });
  for (const record of records.values()) {
    if (
      record.number > present.number &&
      batchOf(record) !== next?.batch &&
      isVouchedFor(record) &&
      comesFrom(record) &&
      (await isAllThere(source, record))
    )
      return record;
  }
  return null;
}

async function recordNamed(source: RescueSource, name: string): Promise<Generation | null> {
  for (const path of placesOf("generations", name)) {
    const bytes = await readWhole(source, path);
    const record =
      bytes &&
      attempt(
        () => readGeneration(bytes),
        () => undefined,
      );
    if (record && generationName(refOf(record)) === name) return record;
  }
  return null;
}

/**
 * Whether a folder that is said to lie open holds a state which that is not about: a later one that no record names.
 * Needs no key, so that it may be anybody's.
 */
export async function hasUnnamed(
  source: RescueSource,
  { generation: present, next }: StateRecord,
  named: ReadonlySet<string>,
): Promise<boolean> {
  if (!present) return false;
  for (const name of await generationsOf(source, null)) {
    const record = await recordNamed(source, name);
    if (record && record.number > present.number && batchOf(record) !== next?.batch && !named.has(refOf(record).digest))
      return true;
  }
  return false;
}

/** The one that is true first, then the newest. */
export async function generationsOf(source: RescueSource, current: string | null): Promise<string[]> {
  const insured = (await source.list(".eremos/insurance"))
    .filter((name) => name.startsWith("generations."))
    .map((name) => name.slice("generations.".length));
  const names = generationNames([...(await source.list(".eremos/generations")), ...insured]);
  return current !== null && names.includes(current) ? [current, ...names.filter((name) => name !== current)] : names;
}

export interface TreeFound {
  readonly tree: TreeReader;
  readonly record: Generation;
}

export async function treeOf(
  source: RescueSource,
  head: Head,
  keys: (name: KeyName) => ContentKeys | null,
  name: string,
  problems: string[],
): Promise<TreeFound | null> {
  for (const path of placesOf("generations", name)) {
    const bytes = await readWhole(source, path);
    if (!bytes) continue;
    try {
      const record = readGeneration(bytes);
      if (record.folder !== head.header.folder || generationName(refOf(record)) !== name)
        throw damage(said("it-belongs-another-folder-or"));
      return { record, tree: await indexOf(source, head, keys, record) };
    } catch (error) {
      if (!isEremosError(error)) throw error;
      problems.push(`${path}: ${error.message}`);
    }
  }
  return null;
}

async function indexOf(
  source: RescueSource,
  head: Head,
  keys: (name: KeyName) => ContentKeys | null,
  generation: Generation,
): Promise<TreeReader> {
  const parts: Buffer[] = [];
  for (const { object, header, length, used } of segmentsOf(generation)) {
    if (isSharedBy(head)) {
      const its = (await manifestOf(source, generation.manifest)).get(object);
      if (!its || !(await isWholeIn(source, "index", object, length, its.digest)))
        throw damage(said("its-index-is-not-one"));
    }
    const opened = await SealedObject.open(source, "index", head.header.folder, object, keys, length, header);
    try {
      const bytes = await opened.read(0, used);
      if (!bytes) throw damage(said("its-index-is-damaged"));
      parts.push(bytes);
    } finally {
      opened.close();
    }
  }
  return new TreeReader(sourceOf(Buffer.concat(parts)), generation.index.record);
}

/** Whether every object of a state lies here, in its whole length. */
export async function isAllThere(source: RescueSource, { manifest }: Generation): Promise<boolean> {
  try {
    for (const { kind, object, length } of (await manifestOf(source, manifest)).values())
      if ((await source.size(objectPath(kind, object))) !== length) return false;
    return true;
  } catch (error) {
    if (isEremosError(error)) return false;
    throw error;
  }
}

async function manifestOf(source: RescueSource, digest: string): Promise<Manifest> {
  for (const path of placesOf("manifests", digest)) {
    const bytes = await readWhole(source, path);
    const manifest =
      bytes &&
      attempt(
        () => decodeManifest(bytes, digest),
        () => undefined,
      );
    if (manifest) return manifest;
  }
  throw damage(said("list-what-it-consists-is"));
}

/** Anybody but the owner holds, or held, the folder's key: what decrypts may be theirs. */
export function isSharedBy({ header }: Head): boolean {
  return header.members.length > 0;
}
