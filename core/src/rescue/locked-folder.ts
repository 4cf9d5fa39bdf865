import type { Password } from "../crypto/kdf";
import { wipe } from "../crypto/bytes";
import { EremosError, damage, isEremosError } from "../errors/eremos-error";
import { type GuardRecord, readGuard } from "../format/guard-record";
import { dropKeyName, openDropKey, readDrop } from "../format/drop-record";
import {
  type Generation,
  batchOf,
  generationDigest,
  generationName,
  generationNames,
  openFacts,
  readGeneration,
  refOf,
  segmentsOf,
  vouchingOf,
} from "../format/generation";
import {
  type Believed,
  type FolderHeader,
  type FolderSecret,
  type Head,
  MAX_HEADER_BYTES,
  type Standing,
  earlierKeys,
  hasOwnPassword,
  headFrom,
  hintOf,
  openFolderPrivateKey,
  openHead,
  openWithSecret,
  readHeader,
  standingOf,
} from "../format/header";
import { type KeyRecord, openContentKey, readKeyRecord } from "../format/key-record";
import { type Manifest, decodeManifest } from "../format/manifest";
import { ContentKeys, type KeyName } from "../format/object";
import { type OwnerEnvelope, isRootKeyOf, openOwner } from "../format/owner";
import type { StateRecord } from "../format/state";
import { type DirEntry, TreeReader, readPackRecord, sourceOf } from "../format/tree";
import type { FileData, RescuedEntry } from "./entry";
import { insuredOf } from "./insured";
import { salvage } from "./salvage";
import { type Piece, SealedObject, isWholeIn, objectPath } from "./sealed-object";
import { type RescueSource, readWhole } from "./source";
import { findState } from "./state-record";
import { said, say } from "@eremos/words/core/rescue";

/** What somebody who wants in has. */
export type RescueSecret =
  | {
      readonly kind: "password";
      readonly password: Password;
      /** For a folder that has one of its own. */ readonly folderPassword: Password | null;
    }
  | { readonly kind: "code"; readonly code: string }
  | { readonly kind: "shares"; readonly shares: readonly string[] }
  /**
   * The owner's root key, which the caller wipes; for a folder with a password of its own, what opens that; and this
   * computer's public key.
   */
  | {
      readonly kind: "root";
      readonly rootKey: Uint8Array;
      readonly folder: FolderSecret | null;
      readonly devices: readonly Uint8Array[];
    };

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
function placesOf(
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

function attempt<T>(make: () => T, failed: (error: EremosError) => void): T | null {
  try {
    return make();
  } catch (error) {
    if (!isEremosError(error)) throw error;
    failed(error);
    return null;
  }
}

/**
 * `fork`: the state whose record in `generations` has this name; `most`: the work that one look at a password may take.
 * @throws EremosError `wrong-password` | `wrong-code` | `needs-folder-password` | `damaged` | `costly`
 */
export async function openLocked(
  plain: RescueSource,
  secret: RescueSecret,
  fork: string | null = null,
  most?: number,
): Promise<LockedFolder> {
  const source = { ...plain, insured: await insuredOf(plain) };
  const found = await findLocked(source);
  const problems = [...found.problems];
  const opened = await openFirstKnown(found.heads, secret, most);
  return LockedFolder.with(source, opened, found, problems, fork);
}

interface Keyed {
  readonly head: Head;
  /** Whoever opened it wipes it. */
  readonly folderKey: Buffer;
  readonly standing: Standing;
  readonly believed: Believed;
}

/**
 * Of several headers the latest that somebody known stands behind: whoever can write to the folder can put another, or
 * an earlier one, in its place.
 */
async function openFirstKnown(heads: readonly Head[], secret: RescueSecret, most: number | undefined): Promise<Keyed> {
  let unknown: Keyed | null = null;
  let first: unknown = null;
  for (const head of [...heads].sort((a, b) => b.header.counter - a.header.counter)) {
    try {
      const opened = await keyedBy(head, secret, most);
      if (opened.standing !== "unknown") {
        wipe(unknown?.folderKey);
        return opened;
      }
      if (unknown) wipe(opened.folderKey);
      unknown ??= opened;
    } catch (error) {
      if (!isEremosError(error)) throw error;
      first ??= error;
    }
  }
  if (unknown) return unknown;
  throw first;
}

async function keyedBy(head: Head, secret: RescueSecret, most: number | undefined): Promise<Keyed> {
  const { owner } = head.header;
  const isTogether = hasOwnPassword(head);
  const keyed = (folderKey: Buffer, rootKey: Uint8Array | null): Keyed => {
    const believed = believedIn(owner, rootKey, secret);
    return { head, folderKey, believed, standing: standingOf(head.header, believed) };
  };
  if ((secret.kind === "code" || secret.kind === "shares") && isTogether) {
    const folderKey = await openWithSecret(head, NO_ROOT, secret);
    // An earlier code, or earlier keyholders, lead to the folder only: then nothing proves whose it is.
    const root = await rootKeyOf(owner, secret).catch(() => null);
    try {
      return keyed(folderKey, root);
    } finally {
      wipe(root);
    }
  }
  const rootKey = await rootKeyOf(owner, secret, most);
  try {
    if (!isTogether) return keyed(await openHead(head, { owner, rootKey, folderKey: null }), rootKey);
    const folder =
      secret.kind === "root"
        ? secret.folder
        : secret.kind === "password" && secret.folderPassword !== null
          ? { kind: "password" as const, password: secret.folderPassword }
          : null;
    if (!folder) throw new EremosError("needs-folder-password", said("this-folder-has-password-its"));
    return keyed(await openWithSecret(head, rootKey, folder, most), rootKey);
  } finally {
    wipe(rootKey);
  }
}

/** Where the code or shares open a slot by themselves, no root key is asked for. */
const NO_ROOT = Buffer.alloc(0);

/**
 * Whose signatures count: the owner's, whom the record in the folder names and the root key vouches for, and this
 * computer's.
 */
function believedIn(owner: OwnerEnvelope, rootKey: Uint8Array | null, secret: RescueSecret): Believed {
  return {
    owner: rootKey && isRootKeyOf(owner, rootKey) ? owner : null,
    devices: secret.kind === "root" ? secret.devices : [],
  };
}

async function rootKeyOf(owner: OwnerEnvelope, secret: RescueSecret, most?: number): Promise<Buffer> {
  if (secret.kind === "root") return Buffer.from(secret.rootKey);
  return (await openOwner(owner, secret, most)).rootKey;
}

const UNKNOWN_KEY = say("this-folder-was-locked-by");
const UNKNOWN_LOCK = say("last-lock-this-folder-was");

/** The folder's keys by what they are named after. */
type Keys = ReadonlyMap<string, { readonly secret: Buffer; readonly content: ContentKeys }>;

function textOf({ epoch, key }: KeyName): string {
  return key ?? say("epoch", { epoch });
}

/**
 * A sealed folder that is read as it lies there, without Eremos' database, its engine or a lock, and without changing
 * anything: what is whole comes out, the rest is told. Close it.
 */
export class LockedFolder {
  private readonly packs = new Map<string, SealedObject>();

  private constructor(
    private readonly source: RescueSource,
    readonly head: Head,
    readonly state: StateRecord | null,
    private readonly keys: Keys,
    /** Null: from the packs alone. */
    readonly generation: number | null,
    /** Of its generation's record. */
    readonly digest: string | null,
    /** Where the folder lay, if that can be read. */
    readonly place: Buffer | null,
    readonly entries: readonly RescuedEntry[],
    readonly problems: readonly string[],
    /**
     * Why it may be somebody else's doing, to be asked about before anything of it is used; null: the owner, or a
     * computer of theirs, stands behind it.
     */
    readonly doubt: string | null,
    private readonly believed: Believed,
  ) {}

  /** Whether its owner, a computer of theirs or a member stands behind a state of it. */
  isVouched(record: Generation): boolean {
    return vouchingOf(record, this.believed, this.head) !== "unknown";
  }

  static async with(
    source: RescueSource,
    { head, folderKey, standing, believed }: Keyed,
    { state, named }: Pick<LockedFound, "state" | "named">,
    problems: string[],
    fork: string | null,
  ): Promise<LockedFolder> {
    const { header } = head;
    const ofKey = standing === "unknown" ? UNKNOWN_KEY : null;
    const keys = await keysOf(source, header, folderKey, problems);
    const content = (name: KeyName): ContentKeys | null => keys.get(textOf(name))?.content ?? null;
    const current = state?.generation ? generationName(state.generation) : null;
    const isVouchedFor = (record: Generation): boolean => vouchingOf(record, believed, head) !== "unknown";
    let unvouched: Found | null = null;
    let taken: Found | null = null;
    let inPart: Found | null = null;
    const later = fork === null && state !== null ? await laterThan(source, state, isVouchedFor) : null;
    for (const name of fork === null
      ? [...(later ? [generationName(refOf(later))] : []), ...(await generationsOf(source, current))]
      : [fork]) {
      const found = await treeOf(source, head, content, name, problems);
      if (!found) continue;
      unvouched ??= found;
      // Beside what the state record names, anybody can put a larger number.
      if (fork !== null || name === current || isVouchedFor(found.record)) taken = found;
      // Nothing says which one holds, as in a second copy, where one may have arrived in part: the newest that is there
      // throughout.
      if (taken && current === null && fork === null && !(await isAllThere(source, taken.record))) {
        inPart ??= taken;
        taken = null;
      }
      if (taken) break;
    }
    if (taken && inPart)
      problems.push(say("state-only-part-is-here", { number: inPart.record.number, taken: taken.record.number }));
    const chosen = taken ?? inPart ?? unvouched;
    if (chosen) {
      const { record, tree } = chosen;
      const name = generationName(refOf(record));
      const isLater = later !== null && generationName(refOf(later)) === name;
      if (isLater && !named.has(refOf(later).digest))
        problems.push(
          say("state-record-names-state-and", { number: state?.generation?.number ?? 0, taken: record.number }),
        );
      if (fork === null && current !== null && name !== current && !isLater)
        problems.push(
          say("last-locks-index-state-cant", { number: state?.generation?.number ?? 0, taken: record.number }),
        );
      const place = attempt(
        () => openFacts(record, secretOf(keys, record)).place,
        () => undefined,
      );
      const isVouched = isVouchedFor(record);
      return new LockedFolder(
        source,
        head,
        state,
        keys,
        record.number,
        generationDigest(record),
        place,
        entriesIn(tree, tree.root, []),
        problems,
        ofKey ?? (isVouched ? null : UNKNOWN_LOCK),
        believed,
      );
    }
    if (fork !== null) throw new EremosError("damaged", said("record-that-state-or-its"));
    problems.push(say("no-index-this-folder-can"));
    const salvaged = await salvage(source, header.folder, content);
    return new LockedFolder(
      source,
      head,
      state,
      keys,
      null,
      null,
      null,
      salvaged.entries,
      [...problems, ...salvaged.problems],
      ofKey,
      believed,
    );
  }

  /**
   * A file's data, and where in the file each piece belongs; `bytes` is null where it is damaged. Holes are not among
   * them.
   */
  async *read(entry: RescuedEntry): AsyncGenerator<Piece> {
    const { data } = entry;
    if (!data) return;
    const stretches = entry.extents ?? [{ offset: 0, length: entry.size }];
    const pack = await this.pack(data);
    let from = data.offset;
    for (const { offset, length } of stretches) {
      let done = 0;
      if (pack)
        for await (const piece of pack.pieces(from, length)) {
          yield { ...piece, offset: offset + done };
          done += piece.length;
        }
      if (done < length) yield { offset: offset + done, length: length - done, bytes: null };
      from += length;
    }
  }

  private async pack({ object, packLength, header, digest }: FileData): Promise<SealedObject | null> {
    const known = this.packs.get(object);
    if (known) return known;
    try {
      const { folder } = this.head.header;
      if (
        isSharedBy(this.head) &&
        !(digest && packLength !== null && (await isWholeIn(this.source, "pack", object, packLength, digest)))
      )
        return null;
      const pack = await SealedObject.open(
        this.source,
        "pack",
        folder,
        object,
        (name) => this.keys.get(textOf(name))?.content ?? null,
        packLength,
        header,
      );
      this.packs.set(object, pack);
      return pack;
    } catch (error) {
      if (isEremosError(error)) return null;
      throw error;
    }
  }

  /** Files that wait in the drop slot, whole ones only: nobody vouches for their names and contents. FORMAT.md §12. */
  async drops(): Promise<readonly { readonly name: Buffer; readonly content: Buffer }[]> {
    const privateKeys = this.privateKeys();
    const drops: { name: Buffer; content: Buffer }[] = [];
    try {
      const third = (await this.source.list(".eremos/insurance"))
        .filter((name) => name.startsWith("drops."))
        .map((name) => name.slice("drops.".length));
      const names = (await this.source.list(".eremos/drops"))
        .filter((name) => name.endsWith(".json"))
        .map((name) => name.replace(".twin.json", ".json"));
      for (const name of new Set([...names, ...third])) {
        for (const path of placesOf("drops", name)) {
          const bytes = await readWhole(this.source, path);
          const opened = bytes ? await this.drop(bytes, privateKeys) : null;
          if (!opened) continue;
          drops.push(opened);
          break;
        }
      }
    } finally {
      wipe(...privateKeys);
    }
    return drops;
  }

  /** The folder's, of every epoch; the caller wipes them. */
  private privateKeys(): Buffer[] {
    const { header } = this.head;
    return [header, ...header.earlier].flatMap(({ epoch }) => {
      const folderKey = this.keys.get(textOf({ epoch, key: null }))?.secret;
      return (
        (folderKey &&
          attempt(
            () => openFolderPrivateKey(header, folderKey, epoch),
            () => undefined,
          )) ??
        []
      );
    });
  }

  private async drop(
    bytes: Buffer,
    privateKeys: readonly Buffer[],
  ): Promise<{ readonly name: Buffer; readonly content: Buffer } | null> {
    for (const privateKey of privateKeys) {
      const drop = await this.dropWith(bytes, privateKey);
      if (drop) return drop;
    }
    return null;
  }

  private async dropWith(
    bytes: Buffer,
    privateKey: Buffer,
  ): Promise<{ readonly name: Buffer; readonly content: Buffer } | null> {
    try {
      const dropped = readDrop(bytes);
      const { folder, object, length } = dropped;
      const secret = await openDropKey(dropped, privateKey);
      const content = new ContentKeys(dropKeyName(dropped), secret, folder);
      const reader = await SealedObject.open(
        this.source,
        "drop",
        this.head.header.folder,
        object,
        () => content,
        length,
      );
      const whole = await reader.read(0, length);
      if (!whole) return null;
      const record = readPackRecord(reader.marker, (offset, count) => whole.subarray(offset, offset + count));
      return { name: record.entry.name, content: whole.subarray(record.recordLength) };
    } catch (error) {
      if (isEremosError(error)) return null;
      throw error;
    }
  }

  /** The caller wipes it. */
  folderKey(): Buffer {
    return Buffer.from(this.keys.get(textOf({ epoch: this.head.header.epoch, key: null }))?.secret ?? []);
  }

  close(): void {
    for (const pack of this.packs.values()) pack.close();
    for (const { secret, content } of this.keys.values()) {
      wipe(secret);
      content.wipe();
    }
  }
}

/** Anybody but the owner holds, or held, the folder's key: what decrypts may be theirs. */
function isSharedBy({ header }: Head): boolean {
  return header.members.length > 0;
}

async function keysOf(
  source: RescueSource,
  header: FolderHeader,
  folderKey: Buffer,
  problems: string[],
): Promise<Keys> {
  const named = (name: KeyName, secret: Buffer): readonly [string, { secret: Buffer; content: ContentKeys }] => [
    textOf(name),
    { secret, content: new ContentKeys({ epoch: name.epoch, key: name.key }, secret, header.folder) },
  ];
  const keys = new Map([named({ epoch: header.epoch, key: null }, folderKey)]);
  for (const before of attempt(
    () => earlierKeys(header, folderKey),
    (error) => problems.push(error.message),
  ) ?? [])
    keys.set(...named({ epoch: before.epoch, key: null }, before.folderKey));
  const names = (await source.list(".eremos/keys"))
    .filter((name) => name.endsWith(".json"))
    .map((name) => name.replace(".twin.json", ".json"));
  for (const name of new Set(names)) {
    const failures: string[] = [];
    for (const path of placesOf("keys", name)) {
      const bytes = await readWhole(source, path);
      if (!bytes) continue;
      try {
        const record = readKeyRecord(bytes);
        const secret = await openRecord(header, keys, record);
        keys.set(...named(record, secret));
        break;
      } catch (error) {
        if (!isEremosError(error)) throw error;
        failures.push(`${path}: ${error.message}`);
      }
    }
    problems.push(...failures);
  }
  return keys;
}

/** Under the folder key of its epoch. @throws EremosError `damaged` */
async function openRecord(header: FolderHeader, keys: Keys, record: KeyRecord): Promise<Buffer> {
  const folderKey = keys.get(textOf({ epoch: record.epoch, key: null }))?.secret;
  if (!folderKey) throw damage(said("key-this-folder-is-missing"));
  // Its private half may be damaged in this copy of the header, and the key boxed.
  const privateKey =
    attempt(
      () => openFolderPrivateKey(header, folderKey, record.epoch),
      () => undefined,
    ) ?? Buffer.alloc(32);
  try {
    return await openContentKey(record, folderKey, privateKey);
  } finally {
    wipe(privateKey);
  }
}

/**
 * The newest state that came from the one that the record names, is here throughout, and has somebody known behind it;
 * null: none. What was being written and was cut off is none.
 */
async function laterThan(
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
async function generationsOf(source: RescueSource, current: string | null): Promise<string[]> {
  const insured = (await source.list(".eremos/insurance"))
    .filter((name) => name.startsWith("generations."))
    .map((name) => name.slice("generations.".length));
  const names = generationNames([...(await source.list(".eremos/generations")), ...insured]);
  return current !== null && names.includes(current) ? [current, ...names.filter((name) => name !== current)] : names;
}

interface Found {
  readonly tree: TreeReader;
  readonly record: Generation;
}

async function treeOf(
  source: RescueSource,
  head: Head,
  keys: (name: KeyName) => ContentKeys | null,
  name: string,
  problems: string[],
): Promise<Found | null> {
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
async function isAllThere(source: RescueSource, { manifest }: Generation): Promise<boolean> {
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

function secretOf(keys: Keys, name: KeyName): Buffer {
  const secret = keys.get(textOf(name))?.secret;
  if (!secret) throw damage(said("key-this-folder-is-missing-so"));
  return secret;
}

function entriesIn(tree: TreeReader, dir: DirEntry, above: readonly Buffer[]): RescuedEntry[] {
  return tree.list(dir).entries.flatMap((entry): RescuedEntry[] => {
    const path = [...above, entry.name];
    const common = { path, meta: entry.meta, size: 0, target: null, linkGroup: 0, extents: null, data: null };
    if (entry.kind === "dir") return [{ ...common, kind: "dir" }, ...entriesIn(tree, entry, path)];
    if (entry.kind === "link") return [{ ...common, kind: "link", target: entry.target }];
    const pack = entry.content && tree.pack(entry.content.pack);
    const data = entry.content &&
      pack && {
        object: pack.object,
        packLength: pack.length,
        header: pack.header,
        digest: pack.digest,
        offset: entry.content.offset,
        length: entry.content.length,
      };
    return [{ ...common, kind: "file", size: entry.size, linkGroup: entry.linkGroup, extents: entry.extents, data }];
  });
}
