import type { Locked, OwnerEnvelope, UnsealedFacts } from "@eremos/core";
import type { ChangeEvent, LockingRules, Protection } from "../contract";
import type { DataDirectory, Note } from "../data-directory";
import { UNTIL_LOCKED } from "../locking-rules";
import { decodePath, encodePath, nameOf } from "../paths";
import { protectionOf } from "../protection";
import { type ActivityEvent, eventSchema } from "../calls/shapes/activity";
import type { Days } from "../days";
import type { Preferences } from "../preferences";
import { presentCause } from "./cause";
import type { FolderRecord, Registry } from "./registry";
import type { Keys } from "../session/keys";

/** What it works with. */
interface House {
  readonly data: DataDirectory;
  readonly registry: Registry;
  readonly preferences: Preferences;
  readonly days: Days;
  /** Of whoever is signed in. */
  readonly keys: Keys | null;
  requireOwner(): OwnerEnvelope;
  announce(change: ChangeEvent): void;
  happened(event: ActivityEvent): void;
}

type EventKind = ActivityEvent["kind"];
/** What is told of an event besides what, where and through what. */
export type Facts = Partial<Pick<ActivityEvent, "at" | "way" | "account" | "since" | "count" | "size">>;

/** `name`: of a folder that is in no list yet. */
type Told = Facts & Pick<ActivityEvent, "folder" | "kind"> & Partial<Pick<ActivityEvent, "name">>;

/** Of what is known of a folder besides, when something happened to it. */
export interface Known {
  readonly record: FolderRecord;
  /** Null: as it was. */
  readonly header?: Buffer | null;
}

/** For a folder that does not lie open. */
export const NO_RULES: Pick<Note, "isUnknown" | "rules" | "openedAt" | "locksAt" | "staysUntil" | "erases"> = {
  isUnknown: false,
  erases: null,
  rules: UNTIL_LOCKED,
  openedAt: 0,
  locksAt: null,
  staysUntil: 0,
};

const NOTHING_SEALED = { files: 0, bytes: 0, generation: 0, digest: "", publicKey: "" };

/** What a note alone tells of a folder. */
function beginning(note: Note): FolderRecord {
  return {
    ...protectionOf(note),
    id: note.id,
    path: note.path,
    kind: note.kind,
    ...NOTHING_SEALED,
    protectedAt: note.protectedAt,
    lockedAt: null,
    openedAt: null,
    rules: null,
    codeProvenAt: null,
    sharesProvenAt: null,
    lastCheck: null,
    epoch: 1,
    olderStates: 0,
    removed: null,
  };
}

/** The note of a listed folder that is on the way from locked to somewhere. */
export function noteOf(record: FolderRecord, protection: Protection): Note {
  return {
    ...NO_RULES,
    ...protection,
    id: record.id,
    path: record.path,
    kind: record.kind,
    publicKey: record.publicKey || null,
    opened: null,
    protectedAt: record.protectedAt,
  };
}

/**
 * What Eremos' own data says of a folder changes here and nowhere else, by what happens to the folder: the list in one
 * transaction, and one durable note, in the order in which being cut off between the two does no harm. A note is there
 * before anything happens that it is needed for, and goes last.
 */
export class Ledger {
  private readonly writing = new Set<Promise<void>>();

  constructor(private readonly house: House) {}

  /** A lock begins: from now on it can be found again, however it ends. */
  begun(note: Note, isListed: boolean): void {
    const { data, registry, keys } = this.house;
    data.writeNote(note);
    if (keys && !isListed) registry.put(keys, beginning(note), null);
  }

  /** `place`: by which Eremos' directory in it is known again. */
  async locked(note: Note, { sealed }: Pick<Locked, "sealed">, place: string | null): Promise<void> {
    const { files, bytes, generation, digest, publicKey } = sealed ?? NOTHING_SEALED;
    const at = Date.now();
    const record = { ...beginning(note), files, bytes, generation, digest, publicKey, lockedAt: at };
    const size = sealed && { generation, files, bytes };
    await this.record(
      { at, ...openSince(note), folder: note.id, kind: "locked", size },
      record,
      sealed?.header ?? null,
      () => {
        if (sealed) this.house.registry.keepSlot(note.id, publicKey, place);
        else this.house.registry.dropHeader(note.id);
      },
    );
    this.house.data.removeNote(note.id);
    this.changed();
  }

  /** A lock, or another change, came to nothing: it lies open as before. */
  stillOpen(note: Note): void {
    this.house.data.writeNote(note);
    this.changed();
  }

  /** It is about to be opened, or released. */
  opening(note: Note): void {
    this.house.data.writeNote(note);
  }

  /** `note`: with the rules that hold while it lies open. */
  async opened(
    record: FolderRecord,
    note: Note,
    unsealed: UnsealedFacts | null,
    kind: EventKind = "opened",
    facts: Facts = {},
  ): Promise<void> {
    this.house.data.writeNote(note);
    const known = unsealed && {
      generation: unsealed.generation,
      digest: unsealed.digest,
      files: unsealed.files,
      bytes: unsealed.bytes,
      publicKey: unsealed.isUnknown ? "" : (unsealed.note?.publicKey ?? record.publicKey),
    };
    // A header that nobody known stands behind is not kept.
    await this.record(
      { ...facts, at: note.openedAt, folder: record.id, kind },
      { ...record, path: note.path, ...known, openedAt: note.openedAt },
      unsealed === null || unsealed.isUnknown ? null : unsealed.header,
    );
    this.changed();
  }

  /** It stays locked, or is locked again, with nothing else to be told. */
  stillLocked(id: string): void {
    this.house.data.removeNote(id);
    this.changed();
  }

  /** An ordinary folder again. */
  async released(id: string): Promise<void> {
    const { data, registry } = this.house;
    const since = openSince(data.note(id));
    await this.record({ ...since, folder: id, kind: "released" }, null, null, () => registry.remove(id));
    data.removeNote(id);
    this.changed();
  }

  /** It is being removed for good: from now on the next start brings that to its end. */
  erasing(record: FolderRecord, erases: NonNullable<Note["erases"]>): void {
    this.house.data.writeNote({ ...noteOf(record, protectionOf(record)), erases });
  }

  /** It was removed for good; `history`: with what is told of it. */
  async erased(id: string, history: boolean): Promise<void> {
    const { data, registry, keys } = this.house;
    if (history) {
      registry.atOnce(() => {
        if (keys) registry.log.remove(keys, ({ folder }) => folder === id);
        registry.remove(id);
      });
    } else {
      await this.record({ folder: id, kind: "erased" }, null, null, () => registry.remove(id));
    }
    data.removeNote(id);
    this.changed();
  }

  /** It is an ordinary folder, and never was anything else. */
  forgotten(id: string): void {
    this.house.registry.remove(id);
    this.house.data.removeNote(id);
    this.changed();
  }

  /** What was cut off is locked now. A first lock while signed out may be known by its note alone. */
  async recovered(note: Note): Promise<void> {
    const at = Date.now();
    await this.record(
      { at, ...openSince(note), folder: note.id, kind: "recovered" },
      { ...beginning(note), lockedAt: at },
    );
    this.house.data.removeNote(note.id);
  }

  /** A first lock stopped half way, file by file: the folder needs the list, and its note, too. */
  async partly(note: Note): Promise<void> {
    await this.record({ folder: note.id, kind: "recovered" }, beginning(note));
    this.changed();
  }

  /** Its drive is mounted elsewhere, or it belongs at another path. */
  moved(keys: Keys, record: FolderRecord, path: Buffer): FolderRecord {
    const moved = { ...record, path: encodePath(path) };
    this.renote(record.id, { path: moved.path });
    this.house.registry.put(keys, moved, null);
    return moved;
  }

  /** How it is locked: at once where it is, else from its next lock on. */
  async protectedAs(keys: Keys, record: FolderRecord, protection: Protection): Promise<void> {
    this.renote(record.id, protection);
    await this.record({ folder: record.id, kind: "protection" }, null, null, () =>
      this.house.registry.put(keys, { ...record, ...protection }, null),
    );
    this.changed();
  }

  /** Its own rules, null: those set for all; `now`: what holds for it as it lies open. */
  async ruled(
    keys: Keys,
    record: FolderRecord,
    rules: LockingRules | null,
    now: Pick<Note, "rules" | "locksAt">,
  ): Promise<void> {
    this.renote(record.id, now);
    await this.record({ folder: record.id, kind: "rules" }, null, null, () =>
      this.house.registry.put(keys, { ...record, rules }, null),
    );
    this.changed();
  }

  /** Something of the note of a folder that lies open. */
  renoted(note: Note): void {
    this.house.data.writeNote(note);
  }

  private renote(id: string, change: Partial<Note>): void {
    const note = this.house.data.note(id);
    if (note) this.house.data.writeNote({ ...note, ...change });
  }

  /** Found on a disk. `openedAt`: null where it is locked. */
  async takenIn(
    keys: Keys,
    record: FolderRecord,
    header: Buffer | null,
    place: string | null,
    openedAt: number | null,
  ): Promise<void> {
    const { data, registry } = this.house;
    if (openedAt !== null && !data.note(record.id))
      data.writeNote({ ...noteOf(record, protectionOf(record)), openedAt });
    // Not merged with what was known of it: the disk says what is true.
    const name = nameOf(decodePath(record.path));
    await this.record({ folder: record.id, kind: "taken-in", name }, null, null, () => {
      registry.put(keys, record, header);
      if (record.publicKey !== "") registry.keepSlot(record.id, record.publicKey, place);
    });
    this.changed();
  }

  /** It has a key of its own from now on. */
  keyed(keys: Keys, record: FolderRecord, header: Buffer, place: string | null): void {
    const { registry } = this.house;
    registry.atOnce(() => {
      registry.put(keys, record, header);
      registry.keepSlot(record.id, record.publicKey, place);
    });
    this.renote(record.id, { publicKey: record.publicKey });
    this.changed();
  }

  /** What files are sealed to while nobody is signed in. */
  slotSeen(id: string, publicKey: string, place: string | null): void {
    this.house.registry.keepSlot(id, publicKey, place);
  }

  /** What is known of it; null: its header is as it was. */
  known(keys: Keys, record: FolderRecord, header: Buffer | null = null): void {
    this.house.registry.put(keys, record, header);
  }

  /** Of many at once. */
  allKnown(keys: Keys, records: readonly FolderRecord[]): void {
    const { registry } = this.house;
    registry.atOnce(() => records.forEach((record) => registry.put(keys, record, null)));
  }

  /** Something was done with a folder, or with none ("") and Eremos itself; `known`: of the folder, then. */
  async happened(folder: string, kind: EventKind, facts: Facts = {}, known: Known | null = null): Promise<void> {
    await this.record({ ...facts, folder, kind }, known?.record, known?.header);
  }

  /** As {@link happened}, for what must not fail because it can't be written down, or has no owner yet. */
  noticed(folder: string, kind: EventKind, facts: Facts = {}): Promise<void> {
    const written = this.writeDown(folder, kind, facts).finally(() => this.writing.delete(written));
    this.writing.add(written);
    return written;
  }

  private async writeDown(folder: string, kind: EventKind, facts: Facts): Promise<void> {
    try {
      if (this.house.data.owner()) await this.happened(folder, kind, facts);
    } catch {
      // What has happened has happened, and goes on.
    }
  }

  /** Until everything that was noticed is written down, before its data is closed. */
  async settled(): Promise<void> {
    await Promise.all(this.writing);
  }

  /** What had happened before, as it was written down somewhere else. */
  recall(keys: Keys, events: readonly ActivityEvent[]): void {
    this.house.registry.log.add(keys, events);
  }

  /** What was written down goes, all of it or what this is true of; returns how many entries. */
  forget(keys: Keys, goes: ((event: ActivityEvent) => boolean) | null): number {
    const { log } = this.house.registry;
    return goes ? log.remove(keys, goes) : log.clear(keys);
  }

  private async record(
    event: Told,
    record: FolderRecord | null = null,
    header: Buffer | null = null,
    besides: () => void = () => undefined,
  ): Promise<void> {
    const { registry, keys } = this.house;
    const isWritten = this.house.preferences.get().keepHistory !== "off";
    const told = this.told(event, record);
    await registry.record(keys, this.house.requireOwner(), isWritten ? told : null, record, header, besides);
    this.house.announce({ topic: "activity" });
    this.house.happened(told);
  }

  /** With what is known of it without being said. */
  private told(event: Told, record: FolderRecord | null): ActivityEvent {
    const { registry, keys, days } = this.house;
    const known =
      record ?? (keys && event.folder !== "" ? registry.list(keys).find(({ id }) => id === event.folder) : null);
    const { from, why } = presentCause();
    return eventSchema.parse({
      at: Date.now(),
      ...event,
      day: days.peek(),
      signedIn: keys !== null,
      name: event.name ?? (known ? nameOf(decodePath(known.path)) : ""),
      from,
      why,
    });
  }

  private changed(): void {
    this.house.announce({ topic: "folders" });
  }
}

function openSince(note: Pick<Note, "openedAt"> | null): Pick<Facts, "since"> {
  return { since: note && note.openedAt > 0 ? note.openedAt : null };
}
