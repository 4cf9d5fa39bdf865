import { wipe } from "../crypto/bytes";
import { EremosError, isEremosError } from "../errors/eremos-error";
import { dropKeyName, openDropKey, readDrop } from "../format/drop-record";
import { type Generation, generationDigest, generationName, openFacts, refOf, vouchingOf } from "../format/generation";
import { type Believed, type Head, openFolderPrivateKey } from "../format/header";
import { ContentKeys, type KeyName } from "../format/object";
import type { StateRecord } from "../format/state";
import { type DirEntry, type TreeReader, readPackRecord } from "../format/tree";
import type { FileData, RescuedEntry } from "./entry";
import { insuredOf } from "./insured";
import { salvage } from "./salvage";
import { type Piece, SealedObject, isWholeIn } from "./sealed-object";
import { type RescueSource, readWhole } from "./source";
import { said, say } from "@eremos/words/core/rescue";
import { type LockedFound, attempt, findLocked, placesOf } from "./find-locked";
import { type Keyed, type Keys, type RescueSecret, keysOf, openFirstKnown, secretOf, textOf } from "./keys-of-folder";
import { type TreeFound, generationsOf, isAllThere, isSharedBy, laterThan, treeOf } from "./states-in-folder";

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

const UNKNOWN_KEY = say("this-folder-was-locked-by");
const UNKNOWN_LOCK = say("last-lock-this-folder-was");

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
    let unvouched: TreeFound | null = null;
    let taken: TreeFound | null = null;
    let inPart: TreeFound | null = null;
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
