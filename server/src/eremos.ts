import { EventEmitter } from "node:events";
import { EremosError, type OffLimits, type OwnerEnvelope, type Progress, defaultOffLimits } from "@eremos/core";
import type { ChangeEvent, JobVerb } from "./contract";
import { DataDirectory } from "./data-directory";
import { type OpenDatabase, openDatabase } from "./database/open";
import { Jobs } from "./jobs";
import { Registry } from "./registry";
import { Gate } from "./session/gate";
import { type Keys, forgetKeys } from "./session/keys";
import type { Settings } from "./settings";

/** One running Eremos: the server, or one command line. Operations take it as their first argument. */
export class Eremos {
  readonly gate: Gate;
  readonly registry: Registry;
  readonly jobs: Jobs;
  readonly offLimits: readonly OffLimits[];
  private readonly emitter = new EventEmitter().setMaxListeners(200);
  private signedIn: Keys | null = null;

  private constructor(readonly settings: Settings, readonly data: DataDirectory, readonly database: OpenDatabase, onProgress?: (folder: string, verb: JobVerb, progress: Progress) => void) {
    this.gate = new Gate(database);
    this.registry = new Registry(database);
    this.jobs = new Jobs(database, () => this.announce({ topic: "jobs" }), onProgress);
    this.offLimits = defaultOffLimits(settings.home, settings.program, data.directory);
  }

  /** @throws EremosError `data-unwritable` */
  static open(settings: Settings, onProgress?: (folder: string, verb: JobVerb, progress: Progress) => void): Eremos {
    const data = DataDirectory.open(settings.dataDirectory);
    return new Eremos(settings, data, openDatabase(data.databasePath, settings.program), onProgress);
  }

  announce(change: ChangeEvent): void {
    this.emitter.emit("change", change);
  }

  onChange(listener: (change: ChangeEvent) => void): () => void {
    this.emitter.on("change", listener);
    return () => void this.emitter.off("change", listener);
  }

  /** @throws EremosError `not-set-up` */
  requireOwner(): OwnerEnvelope {
    const owner = this.data.owner();
    if (!owner) throw new EremosError("not-set-up", "Eremos has no master password yet. Nothing was touched; choose one first (in the page, or with `eremos setup`).");
    return owner;
  }

  get keys(): Keys | null {
    return this.signedIn;
  }

  /** @throws EremosError `needs-sign-in` */
  requireKeys(): Keys {
    if (!this.signedIn) throw new EremosError("needs-sign-in", "This needs the master password. Nothing was touched; sign in first.");
    return this.signedIn;
  }

  keep(keys: Keys): void {
    this.forget();
    this.signedIn = keys;
  }

  /** Wipes the keys. */
  forget(): void {
    if (this.signedIn) forgetKeys(this.signedIn);
    this.signedIn = null;
  }

  close(): void {
    this.forget();
    this.database.close();
  }
}
