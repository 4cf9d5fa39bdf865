/** What goes over the wire about getting back in, and about damage. Part of the contract. */
import type { BackSecret, GuardName, JobVerb, PasswordChanged, Protection, Visibility } from "./contract-folders";

/** The keyholders, and where their shares are. */
export interface KeyholdersView {
  readonly threshold: number;
  readonly count: number;
  /**
   * Whose folders they open, as the sheets say. Null, like the next two and the holders: they were named on another
   * computer.
   */
  readonly of: string | null;
  readonly madeAt: number | null;
  readonly provenAt: number | null;
  readonly holders:
    | readonly {
        readonly number: number;
        readonly name: string;
        readonly mail: string | null;
        readonly handedAt: number | null;
        readonly by: "sheet" | "mail" | null;
      }[]
    | null;
  /** The host of the mail server, where there is one. */
  readonly mailServer: string | null;
  /** Folders with a password of their own, which these shares do not open until they are opened. */
  readonly withEarlier: PasswordChanged["left"];
}

export interface MailServerView {
  readonly host: string;
  readonly port: number;
  readonly security: "tls" | "starttls" | "none";
  readonly user: string;
  readonly from: string;
}

/** Shares that are being collected: each by itself. */
export interface SharesLook {
  readonly threshold: number;
  readonly count: number;
  readonly shares: readonly { readonly number: number | null; readonly problem: string | null }[];
}

/** Work that was cut off, how far it had come, and what is true now. */
export interface InterruptionView {
  readonly folder: string;
  readonly name: string;
  readonly path: string;
  readonly verb: JobVerb;
  readonly files: number;
  readonly filesTotal: number;
  readonly now: "ordinary" | "open" | "partly" | "locked";
  /** As it was to be locked. */
  readonly protection: Protection;
  readonly at: number;
}

export type Insurance = "light" | "standard" | "strong";
/** How much a folder is insured, what that costs, and what it survives. */
export interface InsuranceView {
  readonly chosen: Insurance | "other" | null;
  /**
   * What it is now. Bytes; `burst`: damage up to so much in one place of one file; `scattered`: so many places of up to
   * 4 KB, wherever they are.
   */
  readonly now: {
    readonly costs: number;
    readonly burst: number;
    readonly scattered: number;
    readonly uncovered: number;
  } | null;
  readonly choices: readonly {
    readonly insurance: Insurance;
    readonly costs: number;
    readonly burst: number;
    readonly scattered: number;
  }[];
}

/** A protected folder that was found by what is on disk, and how it stands to what this Eremos knows. */
export interface FoundFolder {
  readonly path: string;
  /** Its ordinary path, where it is in the list. */
  readonly listedAs: string | null;
  readonly folder: string | null;
  readonly guard: GuardName | null;
  readonly visibility: Visibility | null;
  readonly isOpen: boolean | null;
  readonly owner: string | null;
  readonly hasPassword: boolean;
  readonly hint: string | null;
  readonly generation: number | null;
  readonly lockedAt: number | null;
  readonly problems: readonly string[];
  /**
   * In the list, there; in the list, elsewhere; a second copy of one that is in the list and at its place; this
   * owner's, and not in the list; another owner's; its records can't be read.
   */
  readonly relation: "listed" | "moved" | "copy" | "lost" | "another-owner" | "damaged";
}

export interface ScanView {
  readonly isRunning: boolean;
  readonly isStopped: boolean;
  readonly endedAt: number | null;
  readonly directories: number;
  readonly at: string;
  /** The first of them: those that are the owner's own before others'. */
  readonly found: readonly FoundFolder[];
  /** How many there are beyond those. */
  readonly more: number;
  readonly unreadable: readonly string[];
  readonly error: string | null;
}

/** Whether this account gets at a folder, and what of its permissions is not as it was recorded. */
export interface PermissionsView {
  readonly access: readonly {
    readonly path: string;
    readonly kind: "another-account" | "refused";
    readonly reason: string;
  }[];
  /** A command for an administrator, where one is needed. */
  readonly advice: string | null;
  /** It lies open, and its contents were compared with the last lock. */
  readonly compared: boolean;
  readonly entries: number;
  readonly repaired: number;
  readonly changes: readonly {
    readonly path: string;
    readonly was: string;
    readonly is: string;
    /** Why it could not be set back. */ readonly refusal: string | null;
  }[];
}

/** A second copy of a folder in the list, and what it has that the folder has not, or has otherwise. */
export interface CopyView {
  readonly folder: string;
  readonly name: string;
  readonly path: string;
  /** How often each was locked; null where that can't be read. */
  readonly generation: number | null;
  readonly ofOriginal: number | null;
  readonly problems: readonly string[];
  readonly differences: readonly {
    readonly id: string;
    readonly shown: string;
    readonly kind: "only-here" | "differs";
    readonly size: number;
    readonly modifiedAt: number;
  }[];
  /** There are more. */
  readonly isCut: boolean;
}

export type HidingMeans = "dot" | "list" | "blank" | "class-id" | "no-read" | "immutable" | "attributes" | "icon";
/** What is hidden by other means than Eremos, as a search found it, and what was brought back. */
export interface HiddenView extends Omit<ScanView, "found" | "more"> {
  readonly found: readonly {
    readonly id: string;
    readonly path: string;
    /** With what can't be seen in its name told. */
    readonly shown: string;
    readonly means: readonly HidingMeans[];
    readonly type: "dir" | "file";
    readonly files: number;
    readonly bytes: number;
    readonly probably: "yours" | "a program's" | "unknown";
    /** The name it would get. */
    readonly name: string;
  }[];
  /** Home-made locks. */
  readonly scripts: readonly {
    readonly id: string;
    readonly shown: string;
    readonly does: readonly string[];
    readonly hasPassword: boolean;
    /** What it hides, where that was found. */ readonly target: string | null;
  }[];
  readonly brought: readonly {
    readonly id: string;
    readonly at: number;
    readonly shown: string;
    readonly now: string;
  }[];
}

/** Whether the recovery code opens each sealed folder, tried now. */
export interface PracticeView {
  readonly at: number;
  /** Why not, or null where it does. */
  readonly folders: readonly {
    readonly id: string;
    readonly name: string;
    readonly path: string;
    readonly problem: string | null;
  }[];
}

/** A reader that opens locked folders without Eremos. */
export interface RescueFile {
  readonly name: string;
  readonly href: string;
  readonly bytes: number;
  /** Hexadecimal. */
  readonly sha256: string;
}

/** What opens a found folder of another owner, or one with a password of its own. */
export type TakeInSecret =
  { readonly kind: "password"; readonly password: string; readonly folderPassword: string | null } | BackSecret;

/** What was taken in, by name, and what was not, with the reason. */
export interface TakenIn {
  readonly taken: readonly string[];
  readonly left: readonly { readonly path: string; readonly reason: string }[];
}
