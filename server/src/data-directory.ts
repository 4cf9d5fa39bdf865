import * as fs from "node:fs";
import * as os from "node:os";
import * as path from "node:path";
import { isDeepStrictEqual } from "node:util";
import * as z from "zod";
import type { CountedDays } from "./days";
import { lockingRulesSchema } from "./calls/shapes/rules";
import { UNTIL_LOCKED } from "./locking-rules";
import { type AskedFor, askedSchema, folderKindSchema } from "./calls/shapes/folders";
import { protectionShape } from "./protection";
import {
  EremosError,
  type NewDevice,
  type OwnerEnvelope,
  type ProvenOwner,
  type SigningKey,
  generateSigningKey,
  hkdf,
  isEremosError,
  isSignedBy,
  readOwner,
  signWith,
  systemCode,
  writeOwner,
} from "@eremos/core";
import { said } from "@eremos/words/server/house";

/**
 * The owner-only data directory: the owner record, this device's signing key, the database, and a note for each folder
 * that lies open. Notes are the only readable paths; they are files of their own and are removed when the folder locks.
 */
const noteSchema = z.strictObject({
  id: z.string(),
  /** The folder's ordinary path, base64 of its bytes. */
  path: z.string(),
  ...protectionShape,
  kind: folderKindSchema.default("folder"),
  publicKey: z.string().nullable(),
  /** SHA-256 of the record of what was sealed; null while that is not known. */
  opened: z.string().nullable(),
  /** It was opened out of the hands of somebody unknown: the next lock gives it a key of its own. */
  isUnknown: z.boolean().default(false),
  protectedAt: z.number(),
  /** The rules it was opened under, since when it lies open, and the moment it locks, used or not, or null. */
  rules: lockingRulesSchema.default(UNTIL_LOCKED),
  openedAt: z.number().default(0),
  locksAt: z.number().nullable().default(null),
  /** It was asked to stay open until then. */
  staysUntil: z.number().default(0),
  /**
   * It is being removed for good; `history`: with what is told of it; `beside`: which directory its ordinary path is in,
   * to tell that it is gone from that its drive is away.
   */
  erases: z.strictObject({ history: z.boolean(), beside: z.string().nullable() }).nullable().default(null),
});
export type Note = z.output<typeof noteSchema>;

const portSchema = z.int().min(1).max(65535);
const serverSchema = z.strictObject({ port: portSchema, host: z.string().min(1).max(100), secret: z.string().min(32) });
/**
 * Where a server listens, the one Host that it answers to, and the secret by which it proves that it is this owner's.
 */
export type ServerRecord = z.output<typeof serverSchema>;

const OWNER = "owner.json";
const OWNER_COPY = "owner.copy.json";
const OWNER_BEFORE = "owner.before.json";

const deviceSchema = z.strictObject({ publicKey: z.string(), privateKey: z.string() });

const USED_BY = "used-by.json";
const versionSchema = z.string().regex(/^\d+\.\d+\.\d+$/);
const AT_WORK = "at-work";
const DAYS = "days.json";
const OVERWRITING = "overwriting";
/** What was asked for in the file manager, for the page to ask about: names are no part of an address. */
const ASKED = "asked.json";
const keptAskSchema = z.strictObject({ asked: askedSchema, at: z.number() });
/** Who opens the page later than that does not mean it any more. */
const ASKED_FOR_MS = 5 * 60_000;
const daysSchema = z.strictObject({ days: z.number().nonnegative(), at: z.number() });

export class DataDirectory {
  private constructor(
    readonly directory: string,
    readonly device: SigningKey,
  ) {}

  /** Creates what is missing. @throws EremosError `data-unwritable` */
  static open(directory: string): DataDirectory {
    try {
      for (const inside of ["open", AT_WORK, OVERWRITING])
        fs.mkdirSync(path.join(directory, inside), { recursive: true, mode: 0o700 });
      if ((fs.statSync(directory).mode & 0o777) !== 0o700) fs.chmodSync(directory, 0o700);
      fs.accessSync(directory, fs.constants.R_OK | fs.constants.X_OK);
      return new DataDirectory(directory, loadDevice(path.join(directory, "device.json")));
    } catch (error) {
      if (systemCode(error) === undefined) throw error;
      throw new EremosError(
        "data-unwritable",
        said("eremos-cant-write-its-data", { directory, code: systemCode(error) ?? "" }),
      );
    }
  }

  /** This computer, as the owner's record is to know it from now on. */
  get computer(): NewDevice {
    return { publicKey: this.device.publicKey, name: os.hostname(), since: Date.now() };
  }

  /** By which this computer knows the records in folders that it wrote itself. */
  get identity(): Buffer {
    return hkdf(this.device.privateKey, Buffer.alloc(0), "eremos/2/own-records");
  }

  /** Where processes at work are known by their locks. */
  get presences(): string {
    return path.join(this.directory, AT_WORK);
  }

  /** Traces that were cleared, until their days are over. */
  get cleared(): string {
    return path.join(this.directory, "cleared");
  }

  /** What was here before newer versions of Eremos used it, for a while. */
  get upgrades(): string {
    return path.join(this.directory, "before-upgrade");
  }

  /** The version of Eremos that used it last; null where none has said so. */
  usedBy(): string | null {
    const bytes = readIfThere(path.join(this.directory, USED_BY));
    const parsed = bytes ? versionSchema.safeParse(parseJson(bytes)) : null;
    return parsed?.success ? parsed.data : null;
  }

  writeUsedBy(version: string): void {
    writeDurably(path.join(this.directory, USED_BY), Buffer.from(`${JSON.stringify(version)}\n`));
  }

  /** Which files are being written over, so that a crash is brought to its end. */
  get overwriting(): string {
    return path.join(this.directory, OVERWRITING);
  }

  /** The page is to ask about this, instead of what it was to ask before. */
  ask(asked: AskedFor): void {
    const kept: z.input<typeof keptAskSchema> = { asked: askedSchema.parse(asked), at: Date.now() };
    writeDurably(path.join(this.directory, ASKED), Buffer.from(JSON.stringify(kept)));
  }

  /** What is to be asked about, or null; it is asked once. */
  takeAsked(): AskedFor | null {
    const bytes = readIfThere(path.join(this.directory, ASKED));
    const parsed = bytes ? keptAskSchema.safeParse(parseJson(bytes)) : null;
    fs.rmSync(path.join(this.directory, ASKED), { force: true });
    return parsed?.success && Date.now() - parsed.data.at < ASKED_FOR_MS ? parsed.data.asked : null;
  }

  countedDays(): CountedDays | null {
    const bytes = readIfThere(path.join(this.directory, DAYS));
    try {
      return bytes && daysSchema.parse(JSON.parse(bytes.toString("utf8")));
    } catch {
      return null;
    }
  }

  writeCountedDays(days: CountedDays): void {
    try {
      writeDurably(path.join(this.directory, DAYS), Buffer.from(`${JSON.stringify(days)}\n`));
    } catch (error) {
      if (systemCode(error) === undefined) throw error;
    }
  }

  get databasePath(): string {
    return path.join(this.directory, "eremos.db");
  }

  /**
   * The owner record, from the first whole copy, or null before the first run. @throws EremosError `damaged` when there
   * is none that is whole
   */
  owner(): OwnerEnvelope | null {
    let damage: unknown = null;
    for (const name of [OWNER, OWNER_COPY, OWNER_BEFORE]) {
      const bytes = readIfThere(path.join(this.directory, name));
      try {
        if (bytes) return this.ownerIn(bytes);
      } catch (error) {
        if (!isEremosError(error)) throw error;
        damage ??= error;
      }
    }
    if (damage) throw damage;
    return null;
  }

  /** Asked for with every call, and the same nearly always: it is read each time, and checked when it is another. */
  private checked: { readonly bytes: Buffer; readonly owner: OwnerEnvelope } | null = null;

  private ownerIn(bytes: Buffer): OwnerEnvelope {
    if (!this.checked?.bytes.equals(bytes)) this.checked = { bytes, owner: readOwner(bytes) };
    return this.checked.owner;
  }

  /**
   * The one thing whose loss is total: only what was opened as a trial is written, only in the place of what it was
   * made from, and that one stays beside it until the owner has signed in with the new one. @throws EremosError `busy`
   * where another process wrote one meanwhile
   */
  writeOwner(owner: ProvenOwner, before: OwnerEnvelope | null): void {
    if ((this.owner()?.signature ?? null) !== (before?.signature ?? null))
      throw new EremosError("busy", said("owner-record-was-changed-by"));
    const bytes = readIfThere(path.join(this.directory, OWNER));
    if (before && bytes) writeDurably(path.join(this.directory, OWNER_BEFORE), bytes);
    for (const name of [OWNER_COPY, OWNER]) writeDurably(path.join(this.directory, name), writeOwner(owner));
  }

  /**
   * The present record was opened by its owner: the one before it, and what opened that, is not needed any more. Nor are
   * copies from before an upgrade, which hold it, too.
   */
  forgetOwnerBefore(): void {
    if (fs.existsSync(path.join(this.directory, OWNER_BEFORE)))
      fs.rmSync(this.upgrades, { recursive: true, force: true });
    fs.rmSync(path.join(this.directory, OWNER_BEFORE), { force: true });
  }

  /** The port of the last start that found one by itself; kept, so that it is the account's own. */
  keptPort(): number | null {
    const bytes = readIfThere(path.join(this.directory, "port.json"));
    const parsed = bytes ? portSchema.safeParse(parseJson(bytes)) : null;
    return parsed?.success ? parsed.data : null;
  }

  keepPort(port: number): void {
    if (this.keptPort() !== port) writeDurably(path.join(this.directory, "port.json"), Buffer.from(`${port}\n`));
  }

  /** A page that leads a browser to an address which only this account may know. Returns its path. */
  writeWayIn(address: string): string {
    const file = path.join(this.directory, "open.html");
    writeDurably(
      file,
      Buffer.from(
        `<!doctype html>\n<meta charset="utf-8">\n<meta name="referrer" content="no-referrer">\n<meta http-equiv="refresh" content="0; url=${address}">\n<title>Eremos</title>\n`,
      ),
    );
    return file;
  }

  /** Where this owner's server runs; null where none does. */
  server(): ServerRecord | null {
    const bytes = readIfThere(path.join(this.directory, "server.json"));
    const parsed = bytes ? serverSchema.safeParse(parseJson(bytes)) : null;
    return parsed?.success ? parsed.data : null;
  }

  writeServer(record: ServerRecord): void {
    writeDurably(path.join(this.directory, "server.json"), Buffer.from(`${JSON.stringify(record)}\n`));
  }

  /** Unless another server has written its own since. */
  removeServer(record: ServerRecord): void {
    if (this.server()?.secret !== record.secret) return;
    for (const name of ["server.json", "open.html"]) fs.rmSync(path.join(this.directory, name), { force: true });
  }

  private notePath(id: string): string {
    return path.join(this.directory, "open", `${id}.json`);
  }

  notes(): Note[] {
    return fs
      .readdirSync(path.join(this.directory, "open"))
      .filter((name) => name.endsWith(".json"))
      .flatMap((name) => {
        const bytes = readIfThere(path.join(this.directory, "open", name));
        const parsed = bytes ? noteSchema.safeParse(parseJson(bytes)) : null;
        return parsed?.success ? [parsed.data] : [];
      });
  }

  note(id: string): Note | null {
    return this.notes().find((note) => note.id === id) ?? null;
  }

  /** Nothing is written where it says so already: a full disk stops no lock. */
  writeNote(note: Note): void {
    if (!isDeepStrictEqual(this.note(note.id), noteSchema.parse(note)))
      writeDurably(this.notePath(note.id), Buffer.from(`${JSON.stringify(note)}\n`));
  }

  removeNote(id: string): void {
    fs.rmSync(this.notePath(id), { force: true });
  }
}

function parseJson(bytes: Buffer): unknown {
  try {
    return JSON.parse(bytes.toString("utf8"));
  } catch {
    return null;
  }
}

function readIfThere(file: string): Buffer | null {
  try {
    return fs.readFileSync(file);
  } catch (error) {
    if (systemCode(error) === "ENOENT") return null;
    throw error;
  }
}

function writeDurably(file: string, bytes: Buffer): void {
  const beside = `${file}.${process.pid}.new`;
  const fd = fs.openSync(beside, "w", 0o600);
  try {
    fs.writeSync(fd, bytes);
    fs.fsyncSync(fd);
  } finally {
    fs.closeSync(fd);
  }
  fs.renameSync(beside, file);
  const parent = fs.openSync(path.dirname(file), "r");
  try {
    fs.fsyncSync(parent);
  } finally {
    fs.closeSync(parent);
  }
}

/**
 * From it or its copy. Where neither is whole a new one is made, and what is left of the old one is set aside: what it
 * wrote in folders is then another computer's.
 */
function loadDevice(file: string): SigningKey {
  const copies = [file, file.replace(/\.json$/, ".copy.json")];
  const read = copies.map((one) => deviceIn(one));
  const whole = read.find((key) => key !== null);
  if (!whole) for (const one of copies) if (fs.existsSync(one)) fs.renameSync(one, `${one}.damaged-${Date.now()}`);
  const key = whole ?? generateSigningKey();
  const bytes = Buffer.from(
    `${JSON.stringify({ publicKey: key.publicKey.toString("base64url"), privateKey: key.privateKey.toString("base64url") })}\n`,
  );
  copies.forEach((one, i) => {
    if (!read[i]) writeIfPossible(one, bytes, whole !== undefined);
  });
  return key;
}

/** `isSpare`: there is another copy, without which nothing stops. */
function writeIfPossible(file: string, bytes: Buffer, isSpare: boolean): void {
  try {
    writeDurably(file, bytes);
  } catch (error) {
    if (!isSpare) throw error;
  }
}

/** Null where there is none, or it is damaged: the private key has to belong to the public one. */
function deviceIn(file: string): SigningKey | null {
  const bytes = readIfThere(file);
  const stored = bytes ? deviceSchema.safeParse(parseJson(bytes)) : null;
  if (!stored?.success) return null;
  const key = {
    publicKey: Buffer.from(stored.data.publicKey, "base64url"),
    privateKey: Buffer.from(stored.data.privateKey, "base64url"),
  };
  const message = Buffer.from("eremos/device");
  try {
    return isSignedBy(key.publicKey, message, signWith(key, message)) ? key : null;
  } catch {
    return null;
  }
}
