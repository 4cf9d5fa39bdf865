import { EventEmitter } from "node:events";
import * as path from "node:path";
import {
  type Disk,
  type EngineRequest,
  EremosError,
  type Grounds,
  type OffLimits,
  type Outcomes,
  type OwnerEnvelope,
  type Progress,
  type ShortOutcomes,
  type ShortRequest,
  defaultOffLimits,
  diskOf,
  editedOffLimits,
  fromSystemError,
  performShort,
  runEngine,
} from "@eremos/core";
import type { ActivityEvent, ChangeEvent, JobVerb, Way } from "./contract";
import { copyBeforeUpgrade } from "./database/upgrade";
import { installationOf } from "./desktop/installation";
import { DataDirectory } from "./data-directory";
import { Days } from "./days";
import { Documents } from "./documents";
import { keepFaultLog } from "./fault-log";
import { type OpenDatabase, openDatabase, setAsideOf } from "./database/open";
import { Jobs } from "./jobs";
import { causedBy } from "./ledger/cause";
import { Ledger } from "./ledger/ledger";
import { Tally } from "./ledger/tally";
import { realPathOf } from "./paths";
import { Glance } from "./look/glance";
import { AsideLooker, type Looker, OwnLooker } from "./look/looker";
import { Preferences } from "./preferences";
import { Presence } from "./presence";
import { Registry } from "./ledger/registry";
import { Gate } from "./session/gate";
import { Stay } from "./session/stay";
import { Pin } from "./session/pin";
import type { Keys } from "./session/keys";
import type { Mounts } from "./look/mounts";
import { type Settings, placesOf } from "./settings";
import { Visits } from "./visit/visits";
import { Finder } from "./watch/finder";
import { HiddenFinder } from "./watch/hidden-finder";
import { KnownOpen } from "./watch/known-open";
import type { Said } from "@eremos/words";
import { said } from "@eremos/words/server/house";

/** So long after the last secret that opened nothing. */
const TRIED_STAYS_MS = 15_000;

/** What can be done again and again. */
interface Counted {
  /** A wrong password at a drive; another account at the doors; a file put in without a sign-in. */
  readonly kind: "wrong" | "stranger" | "dropped";
  readonly folder: string;
  readonly account: number | null;
}

/** One running Eremos: the server, or one command line. Operations take it as their first argument. */
export class Eremos {
  /** This computer's disk, which knows the records that this Eremos wrote. */
  readonly disk: Disk;
  /** What is looked at by this process itself, where that is short. */
  readonly glance: Glance;
  readonly gate: Gate;
  readonly registry: Registry;
  readonly documents: Documents;
  /** What the list and the notes say of folders changes through it. */
  readonly ledger: Ledger;
  readonly jobs: Jobs;
  readonly preferences: Preferences;
  readonly days: Days;
  readonly knownOpen = new KnownOpen();
  readonly visits: Visits;
  /** Looks at disks: this process itself, unless it serves. */
  looker: Looker;
  /** By which the desktop closes up, as it says them; null: none. */
  shortcutKeys: string | null = null;
  readonly finder = new Finder(
    () => this.looker,
    () => this.announce({ topic: "scan" }),
  );
  readonly hiddenFinder = new HiddenFinder(
    () => this.looker,
    () => this.announce({ topic: "scan" }),
  );
  private readonly presence: Presence;
  private readonly defaultOffLimits: readonly OffLimits[];
  private readonly emitter = new EventEmitter().setMaxListeners(200);
  /** Folders that could not be put right, and why: one folder's trouble is its own. */
  readonly troubles = new Map<string, string>();
  readonly pin = new Pin();
  readonly stay: Stay;
  /** This process stays as long as its session, so that it may begin long work that nobody waits for. */
  isLasting = false;
  private signedIn: Keys | null = null;
  private way: Way | null = null;
  private readonly tally = new Tally<Counted>((what, count) => this.tell(what, count));
  /** Keys set aside at an idle sign-out, for the PIN to bring back. */
  private dozing: Keys | null = null;
  /** Keys that were ended; some are still held. */
  private readonly ended = new Set<Keys>();
  private over: (() => void) | null = null;
  private isOver = false;
  private tryingNow = 0;
  private triedTimer: NodeJS.Timeout | null = null;

  private constructor(
    readonly settings: Settings,
    readonly data: DataDirectory,
    readonly database: OpenDatabase,
    onProgress?: (folder: string, verb: JobVerb, progress: Progress) => void,
  ) {
    this.disk = diskOf(data.identity);
    this.glance = new Glance(this.disk);
    this.looker = new OwnLooker(this.disk);
    this.gate = new Gate(database);
    this.registry = new Registry(database, this.disk.identity);
    this.ledger = new Ledger(this);
    this.documents = new Documents(database);
    this.presence = new Presence(this.disk, data.presences);
    this.jobs = new Jobs(database, data.identity, this.presence, () => this.announce({ topic: "jobs" }), onProgress);
    this.preferences = new Preferences(database);
    this.days = new Days(data);
    this.visits = new Visits(
      path.join(settings.program, "server", "dist", "visit-worker.cjs"),
      data.identity,
      () => this.announce({ topic: "folders" }),
      (setting) => this.disk.runsWith(setting),
    );
    this.stay = new Stay(settings.stayDirectory);
    this.defaultOffLimits = defaultOffLimits(settings.home, settings.program, data.directory);
  }

  /** @throws EremosError `data-unwritable` */
  static open(settings: Settings, onProgress?: (folder: string, verb: JobVerb, progress: Progress) => void): Eremos {
    const data = DataDirectory.open(settings.dataDirectory);
    keepFaultLog(data.directory);
    copyBeforeUpgrade(data, settings.program, installationOf(settings.program).version);
    return new Eremos(settings, data, openDatabase(data.databasePath, settings.program), onProgress);
  }

  /**
   * A verb that is over soon. Where others wait too, as long as this process is a session's, it has a thread of its own
   * nevertheless: a disk may be slow. @throws EremosError
   */
  async ask<V extends keyof ShortOutcomes>(request: ShortRequest & { readonly verb: V }): Promise<ShortOutcomes[V]> {
    if (this.isLasting) return this.run<V>(request);
    try {
      return await performShort<V>(this.disk, request);
    } catch (error) {
      throw fromSystemError(error, said("working"));
    }
  }

  /** One verb of the engine's, in a thread of its own, of which nobody is told how far it is. */
  run<V extends keyof Outcomes>(request: EngineRequest & { readonly verb: V }): Promise<Outcomes[V]> {
    return runEngine<V>(request, () => undefined, this.data.identity).outcome;
  }

  /** Places that can't be locked, as the owner edited the list. */
  get offLimits(): readonly OffLimits[] {
    return editedOffLimits(this.defaultOffLimits, this.preferences.offLimits);
  }

  /** Directories that another program uploads, as far as Eremos was told. */
  get synced(): readonly string[] {
    return [...this.settings.synced, ...this.preferences.get().synced.map(realPathOf)];
  }

  /** Roots that may be walked and protected, as real paths. */
  get places(): readonly string[] {
    return [...new Set([...placesOf(this.settings), ...this.preferences.get().places.map(realPathOf)])];
  }

  get mounts(): Mounts {
    return { mounts: this.settings.mounts, places: this.places };
  }

  /** Where a tucked-away folder may go. */
  get grounds(): Grounds {
    const bytes = (paths: readonly string[]): Buffer[] => paths.map((one) => Buffer.from(one));
    return { places: bytes(this.places), synced: bytes(this.synced) };
  }

  announce(change: ChangeEvent): void {
    this.emitter.emit("change", change);
  }

  /** Something was done, as it is written down, whether the history is kept or not. */
  happened(event: ActivityEvent): void {
    this.emitter.emit("event", event);
  }

  onEvent(listener: (event: ActivityEvent) => void): () => void {
    this.emitter.on("event", listener);
    return () => void this.emitter.off("event", listener);
  }

  onChange(listener: (change: ChangeEvent) => void): () => void {
    this.emitter.on("change", listener);
    return () => void this.emitter.off("change", listener);
  }

  /** @throws EremosError `not-set-up` */
  requireOwner(): OwnerEnvelope {
    const owner = this.data.owner();
    if (!owner) throw new EremosError("not-set-up", said("eremos-has-no-master-password"));
    return owner;
  }

  get keys(): Keys | null {
    return this.signedIn;
  }

  /** By what whoever is signed in got in. */
  get signedInBy(): Way | null {
    return this.signedIn && this.way;
  }

  /**
   * What others can do as often as they like, signed in or not, is written down by their account, null where the system
   * does not tell whose program it was.
   */
  count(kind: Counted["kind"], folder: string, account: number | null, times = 1): void {
    this.tally.add({ kind, folder, account }, times);
  }

  /** What was counted, and what nobody waits for, is written down: before it is closed. */
  async settle(): Promise<void> {
    await this.tally.flush();
    await this.ledger.settled();
  }

  private tell({ kind, folder, account }: Counted, count: number): Promise<void> {
    const facts = { count, way: kind === "wrong" ? ("drive" as const) : null, account: this.accountOf(account) };
    const cause = { from: kind === "wrong" ? ("drive" as const) : ("page" as const), why: null };
    return causedBy(cause, () => this.ledger.noticed(folder, kind, facts));
  }

  /** An account by its name, as far as it is in this computer's lists. */
  accountOf(uid: number | null): { readonly uid: number; readonly name: string } | null {
    if (uid === null) return null;
    return { uid, name: this.disk.accounts().accounts.find((one) => one.uid === uid)?.name ?? "" };
  }

  /** @throws EremosError `needs-sign-in` */
  requireKeys(): Keys {
    if (!this.signedIn) throw new EremosError("needs-sign-in", said("this-needs-master-password-nothing"));
    const owner = this.data.owner();
    if (owner && !this.signedIn.isOf(owner)) {
      this.forget();
      throw new EremosError("needs-sign-in", said("new-keys-were-made-elsewhere"));
    }
    return this.signedIn;
  }

  /**
   * The session goes on with other keys; the ones before are wiped when nothing holds them any more, and a PIN leads
   * nowhere. @throws EremosError `needs-sign-in`; what was handed over is wiped then
   */
  exchange(before: Keys, now: Keys): void {
    if (this.signedIn !== before) now.end();
    this.requireSame(before);
    this.wipe();
    this.signedIn = now;
  }

  /**
   * After a wait, before anything is written: the session in which the work began is still the one there is. @throws
   * EremosError `needs-sign-in`
   */
  requireSame(keys: Keys): void {
    if (this.signedIn !== keys) throw new EremosError("needs-sign-in", said("you-were-signed-out-meanwhile"));
  }

  /**
   * Does something over waits with the keys there are now; a sign-out meanwhile wipes them when it is done. @throws
   * EremosError `needs-sign-in`
   */
  async holding<T>(work: (keys: Keys) => Promise<T>): Promise<T> {
    const keys = this.requireKeys();
    const letGo = keys.hold();
    try {
      return await work(keys);
    } finally {
      letGo();
    }
  }

  /** This process ends with its session: `over` is called at the end of the first one, and there is no other. */
  endWithSession(over: () => void): void {
    this.over = over;
  }

  /** What is wrong with Eremos' own data, in words, or null. */
  get ownDataTrouble(): string | null {
    return this.trouble?.text ?? null;
  }

  private get trouble(): Said | null {
    const { unwritable } = this.database;
    if (unwritable !== null) return said("eremos-own-data-in-cant", { directory: this.data.directory, unwritable });
    const [aside] = setAsideOf(this.data.databasePath);
    return aside === undefined ? null : said("eremos-own-list-your-folders", { aside });
  }

  /** @throws EremosError `data-unwritable` where the list can't be read */
  requireOwnData(): void {
    const { trouble } = this;
    if (this.database.unwritable !== null && trouble !== null) throw new EremosError("data-unwritable", trouble);
  }

  /**
   * @throws EremosError `busy` where this process has had its session; `data-unwritable` where its list can't be read
   */
  takeKeys(keys: Keys, by: Way): void {
    this.requireOwnData();
    if (this.isOver) throw new EremosError("busy", said("eremos-is-still-closing-session"));
    this.wipe();
    this.signedIn = keys;
    this.way = by;
  }

  /** Ends the session: wipes the keys, and the PIN with them. */
  forget(): void {
    const { hasSession } = this;
    this.wipe();
    if (hasSession) this.end();
  }

  private end(): void {
    if (!this.over || this.isOver) return;
    this.isOver = true;
    this.over();
  }

  private get hasSession(): boolean {
    return this.signedIn !== null || this.dozing !== null;
  }

  /**
   * A look at a password, code or share. Where it opened nothing, what may be left of it in memory goes with this
   * process a while after the last one.
   */
  async trying<T>(work: () => Promise<T>): Promise<T> {
    this.tryingNow++;
    try {
      return await work();
    } catch (error) {
      this.endSoon();
      throw error;
    } finally {
      this.tryingNow--;
    }
  }

  private endSoon(): void {
    if (!this.over) return;
    if (this.triedTimer) clearTimeout(this.triedTimer);
    this.triedTimer = setTimeout(() => {
      if (this.tryingNow > 0) this.endSoon();
      // Before there is a master password, what was found and typed so far is of use still.
      else if (!this.hasSession && this.data.owner()) this.end();
    }, TRIED_STAYS_MS).unref();
  }

  private wipe(): void {
    for (const keys of [this.signedIn, this.dozing]) {
      if (!keys) continue;
      keys.end();
      this.ended.add(keys);
    }
    this.signedIn = this.dozing = null;
    this.pin.forget();
  }

  /** Whether something still works with keys of a session that is over. */
  get isHeld(): boolean {
    for (const keys of this.ended) if (!keys.isHeld) this.ended.delete(keys);
    return this.ended.size > 0;
  }

  /** Signed out, but for whoever knows the PIN. Without a PIN, for everybody. */
  doze(): void {
    if (!this.pin.isSet) return this.forget();
    this.dozing = this.signedIn;
    this.signedIn = null;
  }

  get isDozing(): boolean {
    return this.dozing !== null;
  }

  /** @throws EremosError `wrong-pin`; `needs-sign-in` when there is nothing to bring back, or any more */
  wake(pin: string): void {
    if (this.dozing && this.pin.matches(pin)) {
      this.signedIn = this.dozing;
      this.way = "pin";
      this.dozing = null;
      return;
    }
    this.forget();
    throw new EremosError("needs-sign-in", said("pin-is-no-way-back"));
  }

  /** Looks at disks in processes of their own from now on: others wait for this one. */
  lookAside(): void {
    this.looker = new AsideLooker(
      path.join(this.settings.program, "server", "dist", "looker-main.cjs"),
      this.data.identity,
      () => this.announce({ topic: "folders" }),
    );
  }

  close(): void {
    this.looker.close();
    this.presence.close();
    if (this.triedTimer) clearTimeout(this.triedTimer);
    this.wipe();
    this.database.close();
  }
}
