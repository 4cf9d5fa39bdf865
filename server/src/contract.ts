/** What goes over the wire between the page and the server. Types only, safe in the browser. */
export type Visibility = "view" | "hidden";
export type FolderCondition = "locked" | "open" | "working" | "interrupted" | "missing" | "damaged";
export type JobVerb = "lock" | "unlock" | "release" | "check";
export type JobState = "queued" | "running" | "done" | "failed" | "cancelled" | "interrupted";
export type JobPhase = "queued" | "looking" | "sealing" | "making-durable" | "moving" | "removing" | "restoring" | "checking";

export interface StateView {
  readonly setUp: boolean;
  readonly signedIn: boolean;
  readonly hint: string | null;
  readonly failedTries: number;
  readonly waitMs: number;
}

export interface StrengthView {
  /** 0 (guessed at once) to 4 (very hard to guess). */
  readonly score: number;
  readonly guessTime: string;
  readonly warning: string | null;
  readonly suggestions: readonly string[];
  /** Why it can't be taken, or null. */
  readonly refusal: string | null;
}

export interface SetupBegun {
  readonly setup: string;
  readonly recoveryCode: string;
  /** Which groups (0 to 7) are to be typed back. */
  readonly ask: readonly number[];
}

export interface SignedIn {
  /** For this tab only. */
  readonly tab: string;
  /** Wrong passwords since the last sign-in. */
  readonly failedTries: number;
}

export interface FolderView {
  readonly id: string;
  readonly path: string;
  readonly realPath: string;
  readonly name: string;
  readonly guard: "sealed";
  readonly visibility: Visibility;
  readonly state: FolderCondition;
  readonly files: number;
  readonly bytes: number;
  readonly protectedAt: number;
  readonly lockedAt: number | null;
  readonly openedAt: number | null;
  /** Plain entries that appeared in the locked folder. */
  readonly arrivals: number;
  /** What needs the owner, in one sentence, or null. */
  readonly attention: string | null;
}

export interface JobView {
  readonly id: string;
  readonly folder: string;
  readonly verb: JobVerb;
  readonly state: JobState;
  readonly phase: JobPhase;
  readonly files: number;
  readonly filesTotal: number;
  readonly bytes: number;
  readonly bytesTotal: number;
  /** Over the phase so far; null before it can be told. */
  readonly bytesPerSecond: number | null;
  readonly startedAt: number;
  readonly endedAt: number | null;
  readonly error: ErrorView | null;
  /** How it ended, in words that say what is true now. */
  readonly summary: string | null;
}

export interface ErrorView {
  readonly code: string;
  readonly message: string;
  readonly data?: Readonly<Record<string, unknown>>;
}

export interface PlaceEntry {
  readonly name: string;
  readonly path: string;
  readonly type: "dir" | "file" | "link" | "other";
  readonly hidden: boolean;
  readonly expandable: boolean;
  /** The protected folder at this path, if any. */
  readonly folder: string | null;
}

export interface PlaceListing {
  readonly path: string;
  readonly entries: readonly PlaceEntry[];
  readonly files: number;
}

export interface PlanView {
  readonly path: string;
  readonly name: string;
  readonly refusal: ErrorView | null;
  readonly files: number;
  readonly bytes: number;
  readonly outsideLinks: readonly string[];
  readonly holders: readonly string[];
}

export type OnlookerKind = "keyboard" | "keyboard-hidden-shown" | "disk";
export interface OnlookView {
  readonly place: string;
  readonly kinds: readonly {
    readonly kind: OnlookerKind;
    readonly entries: readonly { readonly name: string; readonly type: "file" | "dir" | "link" | "other"; readonly size: number | null }[];
    readonly more: number;
    readonly verdict: string;
    readonly brief: string;
    readonly facts: readonly string[];
    readonly sample: { readonly name: string; readonly hex: string; readonly text: string } | null;
  }[];
}

export interface ActivityView {
  readonly at: number;
  readonly folder: string;
  readonly kind: "locked" | "opened" | "released" | "checked" | "damaged" | "recovered";
  readonly signedIn: boolean;
}

export interface SettingsView {
  readonly dataDirectory: string;
  readonly places: readonly string[];
  readonly hashing: { readonly memoryKiB: number; readonly passes: number; readonly lanes: number };
  readonly offLimits: readonly { readonly path: string; readonly reason: string }[];
}

/** What the event stream names when it has changed. */
export type Topic = "folders" | "jobs" | "gate" | "place" | "session";
export interface ChangeEvent {
  readonly topic: Topic;
  readonly path?: string;
}
