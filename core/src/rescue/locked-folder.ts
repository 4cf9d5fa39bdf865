import type { Password } from "../crypto/kdf";
import { wipe } from "../crypto/bytes";
import { EremosError, isEremosError } from "../errors/eremos-error";
import { readGuard } from "../format/guard-record";
import { readDrop } from "../format/drop-record";
import {
  FOLDER_KEY_NAME,
  type Generation,
  type KeyRecord,
  generationDigest,
  generationNumbers,
  keyRecordSchema,
  openGenerationKey,
  openPlace,
  readGeneration,
  vouchingOf,
} from "../format/generation";
import {
  type FolderHeader,
  type FolderSecret,
  MAX_HEADER_BYTES,
  type OpenedHeader,
  openFolderPrivateKey,
  openHeader,
  openWithSecret,
  readHeader,
  standingOf,
} from "../format/header";
import { ContentKeys } from "../format/object";
import { type OwnerEnvelope, isRootKeyOf, openOwner } from "../format/owner";
import { readRecord } from "../format/record-file";
import { type StateRecord, readState } from "../format/state";
import { type DirEntry, TreeReader, readPackRecord, sourceOf } from "../format/tree";
import { fromBase64 } from "../crypto/bytes";
import type { FileData, RescuedEntry } from "./entry";
import { insuredOf } from "./insured";
import { salvage } from "./salvage";
import { type Piece, SealedObject } from "./sealed-object";
import { type RescueSource, readWhole } from "./source";

/** What somebody who wants in has. */
export type RescueSecret =
  | {
      readonly kind: "password";
      readonly password: Password;
      /** For a folder that has one of its own. */ readonly folderPassword: Password | null;
    }
  | { readonly kind: "code"; readonly code: string }
  | { readonly kind: "shares"; readonly shares: readonly string[] }
  /** The owner's root key, which the caller wipes; for a folder with a password of its own, what opens that; and this computer's public key. */
  | {
      readonly kind: "root";
      readonly rootKey: Uint8Array;
      readonly folder: FolderSecret | null;
      readonly devices: readonly Uint8Array[];
    };

/** What can be said of a locked folder without a key. */
export interface LockedFound {
  readonly folder: string;
  readonly headers: readonly FolderHeader[];
  readonly state: StateRecord | null;
  readonly hasPassword: boolean;
  /** Readable hint to the folder's own password. */
  readonly hint: string | null;
  readonly problems: readonly string[];
}

/** What a sealed folder says of itself. @throws EremosError `not-protected` where there is nothing of one, `damaged` where both headers are */
export async function findLocked(source: RescueSource): Promise<LockedFound> {
  const problems: string[] = [];
  const headers: FolderHeader[] = [];
  let isThere = false;
  // An insured folder has a third copy.
  const insured = (await source.list(".eremos/insurance")).includes("header.json") ? ["insurance/header.json"] : [];
  for (const name of ["header.json", "header.copy.json", ...insured]) {
    const bytes = await readWhole(source, `.eremos/${name}`, MAX_HEADER_BYTES);
    isThere ||= bytes !== null;
    try {
      if (bytes) headers.push(readHeader(bytes));
      else problems.push(`.eremos/${name} is missing.`);
    } catch (error) {
      if (!isEremosError(error) || error.code === "unknown-version") throw error;
      problems.push(`.eremos/${name}: ${error.message}`);
    }
  }
  const [header] = headers;
  if (!header && !isThere && (await source.list(".eremos")).length === 0)
    throw new EremosError(
      "not-protected",
      "There is nothing of Eremos in this folder. Choose the locked folder itself, the one that has a directory called .eremos in it.",
    );
  if (!header)
    throw new EremosError(
      "damaged",
      "Both copies of this folder's header are damaged or gone, and without one no password opens it. Eremos keeps a third copy on the computer the folder was locked on.",
    );
  const stateBytes = await readWhole(source, ".eremos/state.json");
  const state =
    attempt(
      () => (stateBytes ? readState(stateBytes) : null),
      (error) => problems.push(error.message),
    ) ?? null;
  if (!stateBytes) problems.push(".eremos/state.json is missing; the newest whole state is taken.");
  const slot = header.slots.find(({ type }) => type === "owner-and-password");
  return {
    folder: header.folder,
    headers,
    state,
    hasPassword: slot !== undefined,
    hint: slot?.type === "owner-and-password" ? slot.hint : null,
    problems,
  };
}

/** Whose a folder is that is barred or out of sight; null for any other. */
export async function readGuardOwner(source: RescueSource): Promise<OwnerEnvelope | null> {
  const bytes = await readWhole(source, ".eremos/guard.json");
  return bytes && readGuard(bytes).owner;
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

/** `fork`: the state whose record in `generations` has this name; `most`: the work that one look at a password may take. @throws EremosError `wrong-password` | `wrong-code` | `needs-folder-password` | `damaged` | `costly` */
export async function openLocked(
  plain: RescueSource,
  secret: RescueSecret,
  fork: string | null = null,
  most?: number,
): Promise<LockedFolder> {
  const source = { ...plain, insured: await insuredOf(plain) };
  const found = await findLocked(source);
  const problems = [...found.problems];
  const { header, folderKey, standing, devices } = await openFirstKnown(distinct(found.headers), secret, most);
  return LockedFolder.with(source, header, { folderKey, standing, devices }, found.state, problems, fork);
}

function distinct(headers: readonly FolderHeader[]): FolderHeader[] {
  const seen = new Set<string>();
  return headers.filter((header) => !seen.has(JSON.stringify(header)) && seen.add(JSON.stringify(header)));
}

interface Keyed extends OpenedHeader {
  /** Of the owner's computers. */
  readonly devices: readonly Uint8Array[];
}

/** Of several headers the one that somebody known stands behind: whoever can write to the folder can put another in its place. */
async function openFirstKnown(
  headers: readonly FolderHeader[],
  secret: RescueSecret,
  most: number | undefined,
): Promise<Keyed & { readonly header: FolderHeader }> {
  let unknown: (Keyed & { readonly header: FolderHeader }) | null = null;
  let first: unknown = null;
  for (const header of headers) {
    try {
      const opened = { header, ...(await folderKeyOf(header, secret, most)) };
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

async function folderKeyOf(header: FolderHeader, secret: RescueSecret, most: number | undefined): Promise<Keyed> {
  const isTogether = header.slots.some(({ type }) => type === "owner-and-password");
  if ((secret.kind === "code" || secret.kind === "shares") && isTogether) {
    const folderKey = await openWithSecret(header, NO_ROOT, secret);
    // An earlier code, or earlier keyholders, lead to the folder only: then nothing proves whose it is.
    const root = await rootKeyOf(header.owner, secret).catch(() => null);
    const devices = root ? devicesIn(header.owner, root, secret) : [];
    const standing = standingOf(header, folderKey, { rootKey: root, devices });
    wipe(root);
    return { folderKey, standing, devices };
  }
  const rootKey = await rootKeyOf(header.owner, secret, most);
  try {
    const devices = devicesIn(header.owner, rootKey, secret);
    if (!isTogether) return { ...(await openHeader(header, { rootKey, folderKey: null, devices })), devices };
    const folder =
      secret.kind === "root"
        ? secret.folder
        : secret.kind === "password" && secret.folderPassword !== null
          ? { kind: "password" as const, password: secret.folderPassword }
          : null;
    if (!folder)
      throw new EremosError(
        "needs-folder-password",
        "This folder has a password of its own, which is needed too. Nothing was touched.",
      );
    const folderKey = await openWithSecret(header, rootKey, folder, most);
    return { folderKey, standing: standingOf(header, folderKey, { rootKey, devices }), devices };
  } finally {
    wipe(rootKey);
  }
}

/** Where the code or shares open a slot by themselves, no root key is asked for. */
const NO_ROOT = Buffer.alloc(0);

/** The owner's computers: those that the record in the folder names, which the root key vouches for, and this one. */
function devicesIn(owner: OwnerEnvelope, rootKey: Uint8Array, secret: RescueSecret): readonly Uint8Array[] {
  const own = secret.kind === "root" ? secret.devices : [];
  return isRootKeyOf(owner, rootKey) ? [...own, ...owner.devices.map((device) => fromBase64(device, 32))] : own;
}

async function rootKeyOf(owner: OwnerEnvelope, secret: RescueSecret, most?: number): Promise<Buffer> {
  if (secret.kind === "root") return Buffer.from(secret.rootKey);
  return (await openOwner(owner, secret, most)).rootKey;
}

const UNKNOWN_KEY =
  "This folder was locked by somebody unknown: neither its owner nor a computer of theirs stands behind its key. Whoever made it chose everything in it.";
const UNKNOWN_LOCK =
  "The last lock of this folder was not made by its owner, nor by a computer of theirs that is known. What is in it may be somebody else's choice.";

/** The folder's keys by name. */
type Keys = ReadonlyMap<string, { readonly secret: Buffer; readonly content: ContentKeys }>;

/**
 * A sealed folder that is read as it lies there, without Eremos' database, its engine or a lock, and without changing anything: what is
 * whole comes out, the rest is told. Close it.
 */
export class LockedFolder {
  private readonly packs = new Map<string, SealedObject>();

  private constructor(
    private readonly source: RescueSource,
    readonly header: FolderHeader,
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
    /** Why it may be somebody else's doing, to be asked about before anything of it is used; null: the owner, or a computer of theirs, stands behind it. */
    readonly doubt: string | null,
  ) {}

  static async with(
    source: RescueSource,
    header: FolderHeader,
    { folderKey, standing, devices }: Keyed,
    state: StateRecord | null,
    problems: string[],
    fork: string | null,
  ): Promise<LockedFolder> {
    const ofKey = standing === "unknown" ? UNKNOWN_KEY : null;
    const keys = await keysOf(source, header, folderKey, problems);
    const content = (name: string): ContentKeys | null => keys.get(name)?.content ?? null;
    for (const { number, records } of fork === null ? await generationsOf(source, state) : await forkOf(source, fork)) {
      const tree = await treeOf(source, header, { folderKey, devices }, content, records, number, problems);
      if (!tree) continue;
      if (fork === null && state && state.generation > 0 && number !== state.generation)
        problems.push(
          `The last lock's index (state ${state.generation}) can't be read. What comes out is an earlier state of the folder (state ${number}); what changed after it is missing.`,
        );
      const place = attempt(
        () => placeOf(tree.record, keys),
        () => undefined,
      );
      return new LockedFolder(
        source,
        header,
        state,
        keys,
        number,
        generationDigest(tree.record),
        place,
        entriesIn(tree.tree, tree.tree.root, []),
        problems,
        ofKey ?? (tree.isVouched ? null : UNKNOWN_LOCK),
      );
    }
    problems.push(
      "No index of this folder can be read, so the files were looked for in its packs one by one. Links, empty files and empty folders are lost; files that were deleted before may be among them.",
    );
    const salvaged = await salvage(source, header.folder, content);
    return new LockedFolder(
      source,
      header,
      state,
      keys,
      null,
      null,
      null,
      salvaged.entries,
      [...problems, ...salvaged.problems],
      ofKey,
    );
  }

  /** A file's data, and where in the file each piece belongs; `bytes` is null where it is damaged. Holes are not among them. */
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

  private async pack({ object, packLength }: FileData): Promise<SealedObject | null> {
    const known = this.packs.get(object);
    if (known) return known;
    try {
      const pack = await SealedObject.open(
        this.source,
        "pack",
        this.header.folder,
        object,
        (name) => this.keys.get(name)?.content ?? null,
        packLength,
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
    const folderKey = this.keys.get(FOLDER_KEY_NAME)?.secret ?? Buffer.alloc(32);
    const privateKey = openFolderPrivateKey(this.header, folderKey);
    const drops: { name: Buffer; content: Buffer }[] = [];
    try {
      for (const name of await this.source.list(".eremos/drops")) {
        const bytes = name.endsWith(".json") ? await readWhole(this.source, `.eremos/drops/${name}`) : null;
        const drop = bytes && (await this.drop(bytes, folderKey, privateKey));
        if (drop) drops.push(drop);
      }
    } finally {
      wipe(privateKey);
    }
    return drops;
  }

  private async drop(
    bytes: Buffer,
    folderKey: Buffer,
    privateKey: Buffer,
  ): Promise<{ readonly name: Buffer; readonly content: Buffer } | null> {
    try {
      const { folder, key, sealed, object, length } = readDrop(bytes);
      const secret = await openGenerationKey(
        { format: "eremos-key", version: 1, folder, key, sealed },
        folderKey,
        privateKey,
      );
      const content = new ContentKeys(key, secret, folder);
      const reader = await SealedObject.open(this.source, "drop", this.header.folder, object, () => content, length);
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
    return Buffer.from(this.keys.get(FOLDER_KEY_NAME)?.secret ?? []);
  }

  close(): void {
    for (const pack of this.packs.values()) pack.close();
    for (const { secret, content } of this.keys.values()) {
      wipe(secret);
      content.wipe();
    }
  }
}

async function keysOf(
  source: RescueSource,
  header: FolderHeader,
  folderKey: Buffer,
  problems: string[],
): Promise<Keys> {
  const keys = new Map([
    [FOLDER_KEY_NAME, { secret: folderKey, content: new ContentKeys(FOLDER_KEY_NAME, folderKey, header.folder) }],
  ]);
  const privateKey = attempt(
    () => openFolderPrivateKey(header, folderKey),
    (error) => problems.push(error.message),
  );
  for (const name of await source.list(".eremos/keys")) {
    const bytes = name.endsWith(".json") ? await readWhole(source, `.eremos/keys/${name}`) : null;
    if (!bytes) continue;
    try {
      const record: KeyRecord = readRecord(bytes, keyRecordSchema, "folder's key record");
      const secret = await openGenerationKey(record, folderKey, privateKey ?? Buffer.alloc(32));
      keys.set(record.key, { secret, content: new ContentKeys(record.key, secret, header.folder) });
    } catch (error) {
      if (!isEremosError(error)) throw error;
      problems.push(`.eremos/keys/${name}: ${error.message}`);
    }
  }
  wipe(privateKey);
  return keys;
}

interface Numbered {
  readonly number: number;
  /** Its record and the copies of it, by their paths in Eremos' directory. */
  readonly records: readonly string[];
}

async function forkOf(source: RescueSource, name: string): Promise<Numbered[]> {
  const bytes = (await source.list(".eremos/generations")).includes(name)
    ? await readWhole(source, `.eremos/generations/${name}`)
    : null;
  const record =
    bytes &&
    attempt(
      () => readGeneration(bytes),
      () => undefined,
    );
  if (!record) throw new EremosError("damaged", "The record of that state can't be read. Nothing was changed.");
  return [{ number: record.generation, records: [`generations/${name}`] }];
}

/** The one that is true first, then the newest. */
async function generationsOf(source: RescueSource, state: StateRecord | null): Promise<Numbered[]> {
  const names = [
    ...(await source.list(".eremos/generations")).map((name) => `generations/${name}`),
    ...(await source.list(".eremos/insurance")).map((name) => `insurance/${name}`),
  ];
  const first = (number: number): number => (number === state?.generation ? 1 : 0);
  return generationNumbers(names.map((name) => name.slice(name.indexOf("/") + 1)))
    .sort((a, b) => first(b) - first(a) || b - a)
    .map((number) => {
      const stem = String(number).padStart(10, "0");
      return {
        number,
        records: [`generations/${stem}.json`, `generations/${stem}.copy.json`, `insurance/${stem}.json`].filter(
          (name) => names.includes(name),
        ),
      };
    });
}

async function treeOf(
  source: RescueSource,
  header: FolderHeader,
  { folderKey, devices }: Pick<Keyed, "folderKey" | "devices">,
  keys: (name: string) => ContentKeys | null,
  records: readonly string[],
  number: number,
  problems: string[],
): Promise<{ readonly tree: TreeReader; readonly record: Generation; readonly isVouched: boolean } | null> {
  for (const name of records) {
    try {
      const record = readGeneration((await readWhole(source, `.eremos/${name}`)) ?? Buffer.alloc(0));
      if (record.folder !== header.folder || record.generation !== number)
        throw new EremosError("damaged", "It belongs to another folder or state.");
      const isVouched = vouchingOf(record, folderKey, devices) !== "unvouched";
      const index = await SealedObject.open(
        source,
        "index",
        header.folder,
        record.index.object,
        keys,
        record.index.length,
      );
      try {
        const bytes = (await index.hasDigest(fromBase64(record.index.digest, 32)))
          ? await index.read(0, record.index.length)
          : null;
        if (!bytes) throw new EremosError("damaged", "Its index is damaged.");
        return { tree: new TreeReader(sourceOf(bytes), record.index.record), record, isVouched };
      } finally {
        index.close();
      }
    } catch (error) {
      if (!isEremosError(error)) throw error;
      problems.push(`.eremos/${name}: ${error.message}`);
    }
  }
  return null;
}

function placeOf(record: Generation, keys: Keys): Buffer {
  const secret = keys.get(record.key)?.secret;
  if (!secret) throw new EremosError("damaged", "A key of this folder is missing, so a part of it can't be read.");
  return openPlace(record, secret);
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
        offset: entry.content.offset,
        length: entry.content.length,
      };
    return [{ ...common, kind: "file", size: entry.size, linkGroup: entry.linkGroup, extents: entry.extents, data }];
  });
}
