/** What goes over the wire about folders, work and the owner. Part of the contract. */
import type { Bars, GuardName } from "@eremos/core/guards";

export type { Bars, GuardName, Level } from "@eremos/core/guards";
export type Visibility = "view" | "hidden" | "tucked";
/** Icons by their names in the desktop's own themes. Source: freedesktop.org Icon Naming Specification. */
export type Icon =
  | "x-office-document"
  | "x-office-spreadsheet"
  | "x-office-calendar"
  | "x-office-address-book"
  | "text-x-generic"
  | "image-x-generic"
  | "audio-x-generic"
  | "video-x-generic"
  | "package-x-generic"
  | "applications-games"
  | "user-trash";
/** How a folder is locked. */
export interface Protection {
  readonly guard: GuardName;
  readonly visibility: Visibility;
  /** In view: the name it shows while it is locked; null: its own. */
  readonly cover: string | null;
  /** Sealed and in view: the icon it shows while it is locked; null: the usual one. */
  readonly icon: Icon | null;
  /** For a barred folder. */
  readonly bars: Bars | null;
}
/** What is protected: a folder, a single file, or all that is on a drive. */
export type FolderKind = "folder" | "file" | "drive";
export type FolderCondition = "locked" | "open" | "working" | "partly" | "interrupted" | "missing" | "away" | "damaged";
export type JobVerb =
  "lock" | "unlock" | "release" | "check" | "reguard" | "put-back" | "insure" | "repair" | "merge" | "renew";
export type JobState = "queued" | "running" | "done" | "failed" | "cancelled" | "interrupted";
export type JobPhase =
  "queued" | "looking" | "sealing" | "making-durable" | "moving" | "removing" | "restoring" | "checking";

export interface StateView {
  readonly setUp: boolean;
  readonly signedIn: boolean;
  readonly hint: string | null;
  readonly failedTries: number;
  readonly waitMs: number;
  /** Signed out by itself, and a PIN leads back in. */
  readonly pin: boolean;
  /** Of keyholders, where there are some: how many of how many open. */
  readonly keyholders: { readonly threshold: number; readonly count: number } | null;
  /** The owner chose to stay signed in, and this is a program of the owner's account: no password is needed. */
  readonly stays: boolean;
  /** How many folders lie open; which ones, only who is signed in hears. */
  readonly open: number;
  /** What is wrong with Eremos' own data, or null. */
  readonly ownDataTrouble: string | null;
}

/**
 * What the owner is asked about a folder that is not as they left it, and agrees to: locked by somebody unknown; an
 * older state than known; another state in its place; a password that takes more work than their own.
 */
export type Consent = "unvouched" | "rolled-back" | "forked" | "arriving" | "files-damaged" | "costly";

/** A password for one folder, needed on top of the master password. */
export interface TypedFolderPassword {
  readonly password: string;
  readonly hint: string | null;
}

/** The ways back without a password. */
export type BackSecret =
  { readonly kind: "code"; readonly code: string } | { readonly kind: "shares"; readonly shares: readonly string[] };
/** What opens a folder that has a password of its own. */
export type FolderSecret = { readonly kind: "password"; readonly password: string } | BackSecret;

export interface StrengthView {
  /** 0 (guessed at once) to 4 (very hard to guess). */
  readonly score: number;
  readonly guessTime: string;
  readonly warning: string | null;
  readonly suggestions: readonly string[];
  /** Why it can't be taken, or null. */
  readonly refusal: string | null;
}

/** A recovery code that was shown and waits for proof that it was kept. */
export interface ShownCode {
  readonly id: string;
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

/** When a folder that lies open locks by itself. */
export interface LockingRules {
  /** After so long, used or not; null: not for that. */
  readonly afterMinutes: number | null;
  /** After so long without a change and without a program holding its files; null: not for that. */
  readonly idleMinutes: number | null;
  readonly atSignOut: "lock" | "ask" | "leave";
  /** When Eremos stops, and at its next start where it could not. */
  readonly atStop: boolean;
  /** When the computer goes to sleep or the screen is locked, where the system tells. */
  readonly atSleep: boolean;
}

/** How a folder is opened this time. */
export type OpeningMode =
  { readonly kind: "usual" | "until-locked" | "leaving" } | { readonly kind: "while"; readonly minutes: number };

export interface FolderView {
  readonly id: string;
  readonly path: string;
  readonly realPath: string;
  readonly name: string;
  readonly kind: FolderKind;
  readonly guard: GuardName;
  /** Of a barred folder. */
  readonly bars: Bars | null;
  readonly visibility: Visibility;
  readonly cover: string | null;
  readonly icon: Icon | null;
  readonly state: FolderCondition;
  readonly files: number;
  readonly bytes: number;
  readonly protectedAt: number;
  readonly lockedAt: number | null;
  readonly openedAt: number | null;
  /** While it is open: when it locks by itself. */
  readonly locksAt: number | null;
  readonly locksWhenIdle: boolean;
  /** Its time is up, and these programs still hold files of it. */
  readonly waitingFor: readonly string[];
  /** Its own rules, or null where the general ones hold. */
  readonly rules: LockingRules | null;
  /** A password of its own is needed on top of the master password; with its hint, or null. */
  readonly hasPassword: boolean;
  readonly passwordHint: string | null;
  /** While it is open: what happens to it at a sign-out. */
  readonly atSignOut: LockingRules["atSignOut"] | null;
  /** Plain entries that appeared in the locked folder. */
  readonly arrivals: number;
  /** Files that wait in its drop slot, encrypted. */
  readonly drops: number;
  /** Locked, and too large for the room there is: opening goes file by file. */
  /**
   * When its encrypted copy was last looked through, whether a sample of it or all, and whether it was whole; null:
   * never.
   */
  readonly lastCheck: { readonly at: number; readonly ok: boolean; readonly sample: boolean } | null;
  /** Sealed: parity beside it repairs damage. */
  readonly isInsured: boolean;
  /** States that another computer locked at the same time, where a program keeps both in step. */
  readonly forks: readonly {
    readonly name: string;
    readonly generation: number;
    /** Made from the present one, which it takes the place of at the next opening. */ readonly isNewer: boolean;
    readonly arrival: { readonly pieces: number; readonly arrived: number };
  }[];
  readonly isCramped: boolean;
  /** Sealed: what opens it, and when the code and the shares were last seen to; null: not yet. */
  readonly waysBack: {
    readonly count: number;
    readonly codeProvenAt: number | null;
    readonly sharesProvenAt: number | null;
    readonly hasKeyholders: boolean;
  } | null;
  /** What needs the owner, in one sentence, or null. */
  readonly attention: string | null;
  readonly visit: VisitView | null;
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
  readonly type: "dir" | "file";
  readonly hidden: boolean;
  readonly expandable: boolean;
  /** The protected folder at this path, if any. */
  readonly folder: string | null;
}

export interface PlaceListing {
  readonly path: string;
  readonly entries: readonly PlaceEntry[];
  /** Files that are not among the entries. */
  readonly more: number;
}

/** Something dropped on the page, as far as a browser tells: sizes in bytes, null where it does not. */
export interface Dropped {
  readonly name: string;
  readonly type: "dir" | "file";
  readonly size: number | null;
  readonly entries: readonly { readonly name: string; readonly type: "dir" | "file"; readonly size: number | null }[];
  /** The entries are all there are. */
  readonly complete: boolean;
}

export interface DroppedFound {
  readonly paths: readonly string[];
  /** Everything was looked through. */
  readonly complete: boolean;
}

export interface PlanView {
  readonly kind: FolderKind;
  readonly path: string;
  readonly name: string;
  readonly refusal: ErrorView | null;
  readonly files: number;
  readonly bytes: number;
  readonly outsideLinks: readonly string[];
  /** What in it belongs to other accounts. */
  readonly foreign: readonly string[];
  /** `file-by-file` when there is no room for the encrypted copy beside the readable one. */
  readonly strategy: "whole" | "file-by-file";
  readonly holders: readonly string[];
  /**
   * The file system tells of each file whether anybody writes to it; else only programs that can be listed are seen.
   */
  readonly tellsWriters: boolean;
}

export type OnlookerKind = "keyboard" | "keyboard-hidden-shown" | "disk";
export interface OnlookView {
  readonly place: string;
  readonly kinds: readonly {
    readonly kind: OnlookerKind;
    readonly entries: readonly {
      readonly name: string;
      readonly type: "file" | "dir" | "link" | "other";
      readonly size: number | null;
    }[];
    readonly more: number;
    readonly verdict: string;
    readonly brief: string;
    readonly facts: readonly string[];
    readonly sample: { readonly name: string; readonly hex: string; readonly text: string } | null;
  }[];
}

export type ReachKind = "keyboard" | "keyboard-hidden-shown" | "account" | "administrator" | "disk" | "provider";
export interface ReachCell {
  readonly answer: "yes" | "partly" | "no";
  readonly reason: string;
}
/** Who could get how far at a folder now; a row for each kind of somebody. */
export interface ReachView {
  readonly kind: ReachKind;
  readonly exists: ReachCell;
  readonly names: ReachCell;
  readonly reads: ReachCell;
  readonly changes: ReachCell;
  readonly deletes: ReachCell;
}

export interface ActivityView {
  readonly at: number;
  readonly folder: string;
  readonly kind:
    | "locked"
    | "opened"
    | "released"
    | "checked"
    | "damaged"
    | "recovered"
    | "password"
    | "folder-password"
    | "code"
    | "reguarded"
    | "visited"
    | "changed"
    | "put-back"
    | "taken-in"
    | "practised"
    | "mended"
    | "keyholders"
    | "insured"
    | "repaired"
    | "new-keys";
  readonly signedIn: boolean;
}

/**
 * Folders out of reach when the master password or the recovery code changed: they open with the old one until they
 * return.
 */
export interface PasswordChanged {
  readonly left: readonly { readonly id: string; readonly name: string; readonly path: string }[];
}

/** How far it is since the owner made new keys. */
export interface NewKeysView {
  /** Milliseconds since 1970. */
  readonly at: number;
  /** So many folders are sealed anew throughout. */
  readonly anew: number;
  /** The others, and why. `hasKey`: nothing new in it opens with an earlier secret, and its contents still do. */
  readonly waiting: readonly (PasswordChanged["left"][number] & {
    readonly why: "working" | "away" | "open" | "password" | "refused";
    readonly refusal: string | null;
    readonly hasKey: boolean;
  })[];
  /** Of those that are sealed anew, the ones of which so many earlier states are kept that an earlier key opens. */
  readonly older: readonly (PasswordChanged["left"][number] & { readonly states: number })[];
}

export type Effort = "light" | "standard" | "heavy";
export interface EffortsView {
  readonly chosen: Effort;
  /** What one try of a password takes on this machine. */
  readonly seconds: Readonly<Record<Effort, number>>;
}

export interface PreferencesView {
  /** How the page looks; `system`: as the desktop. */
  readonly theme: "light" | "dark" | "system";
  /** How much work each try of the master password is. */
  readonly effort: Effort;
  /** For folders without rules of their own. */
  readonly rules: LockingRules;
  /** Minutes without a touch of the page until it signs out; null: never. */
  readonly idleSignOutMinutes: number | null;
  /** Full paths of directories that another program uploads, besides those it was started with. */
  readonly synced: readonly string[];
  /** How many earlier states of a sealed folder are kept. */
  readonly keepEarlier: number;
  /** So often a sample of each sealed folder is looked at, while somebody is signed in; 0: never. */
  readonly checkEveryDays: number;
}

/** What the owner changed about the off-limits list. */
export interface OffLimitsView {
  /** Paths, or patterns with `*`, `**` and `?`. */
  readonly added: readonly { readonly path: string; readonly reason: string }[];
  readonly removed: readonly string[];
}

/** What closing up left open, and why. */
export interface ClosedUp {
  readonly jobs: readonly string[];
  readonly left: readonly { readonly path: string; readonly reason: string }[];
}

/** What of Eremos is on the desktop. */
export interface DesktopView {
  readonly applications: boolean;
  readonly start: boolean;
  readonly menu: boolean;
}

/** A sealed folder that is looked into, with nothing decrypted on disk. */
export interface VisitView {
  readonly folder: string;
  /** Where it is served as a drive, and the name and password for that. */
  readonly url: string;
  readonly user: string;
  readonly password: string;
  /** Under which this server passes its files to the page. */
  readonly contents: string;
  /** By which a desktop's file manager reaches the drive. */
  readonly address: string;
  /** Whether Eremos can mount the drive by itself, and whether it did. */
  readonly mount: "no" | "can" | "mounted";
  readonly startedAt: number;
  /** Milliseconds since 1970; null: when nobody has used it for a while. */
  readonly endsAt: number | null;
  readonly undoable: number;
}

/** Paths are hrefs: names percent-encoded, after slashes. */
export type VisitCall =
  | { readonly kind: "list"; readonly href: string }
  | { readonly kind: "search"; readonly href: string; readonly name: string }
  | { readonly kind: "make-directory"; readonly href: string }
  | { readonly kind: "remove"; readonly hrefs: readonly string[] }
  | { readonly kind: "move"; readonly href: string; readonly to: string }
  /** Files that wait in the drop slot; the hrefs of the entries are their ids. */
  | { readonly kind: "arrivals" }
  | { readonly kind: "take-in" | "discard"; readonly ids: readonly string[] }
  | { readonly kind: "undo" }
  /** Earlier states that are kept. */
  | { readonly kind: "earlier" }
  | { readonly kind: "changes-since"; readonly generation: number }
  /** Null: everything. */
  | { readonly kind: "put-back"; readonly generation: number; readonly hrefs: readonly string[] | null };

export interface VisitEntry {
  readonly name: string;
  readonly href: string;
  readonly kind: "file" | "dir" | "link";
  readonly size: number;
  readonly modifiedAt: number;
  /** Of a link. */
  readonly leadsTo: string | null;
  /** Of what differs between two states. */
  readonly change?: "added" | "changed" | "removed";
}

/** A state the folder was in before. */
export interface EarlierView {
  readonly generation: number;
  readonly at: number;
  readonly files: number;
  readonly bytes: number;
  /** What it takes on disk besides what is needed anyway. */
  readonly ownBytes: number;
}

/** What changed in a folder that lies open since its last lock. */
export interface LastLockView {
  /** The state it was locked in. */
  readonly generation: number;
  readonly entries: readonly VisitEntry[];
  /** There are more. */
  readonly isCut: boolean;
}

export interface VisitReply {
  readonly entries: readonly VisitEntry[];
  /** Asked for `earlier`. */
  readonly earlier?: readonly EarlierView[];
  /** There are more. */
  readonly isCut: boolean;
}

export interface SettingsView {
  readonly dataDirectory: string;
  readonly places: readonly string[];
  readonly hashing: { readonly memoryKiB: number; readonly passes: number; readonly lanes: number };
  readonly offLimits: readonly { readonly path: string; readonly reason: string; readonly removable: boolean }[];
  readonly offLimitsEdits: OffLimitsView;
  /** Directories that another program uploads, that it was started with. */
  readonly syncedBefore: readonly string[];
  readonly hint: string | null;
  readonly preferences: PreferencesView;
  readonly hasPin: boolean;
  /** The key is kept in a file of this account. */
  readonly stays: boolean;
  /** Folders that still open with an earlier master password or recovery code. */
  readonly behind: PasswordChanged["left"];
  /** Folders with a password of their own, which an earlier recovery code still opens until they are opened. */
  readonly withEarlierCode: PasswordChanged["left"];
}

/** What the event stream names when it has changed. */
export type Topic = "scan" | "folders" | "jobs" | "gate" | "place" | "session";
export interface ChangeEvent {
  readonly topic: Topic;
  readonly path?: string;
}
