import type { Committed, Failure, VisitInput } from "@eremos/core";
import type { VisitCall, VisitReply } from "../contract";

/** Between the server and the worker thread a visit runs in. */
export interface VisitStart {
  readonly input: VisitInput;
  /** By which this computer knows its own records. */
  readonly identity: Uint8Array;
  readonly user: string;
  readonly password: string;
  /** Milliseconds without any use after which it ends. */
  readonly idleMs: number;
  /** Milliseconds since 1970; null: no end but by idling. */
  readonly endsAt: number | null;
}

export type ToWorker =
  | { readonly kind: "call"; readonly id: number; readonly call: VisitCall }
  | { readonly kind: "end"; readonly why: VisitEnd };

export type FromWorker =
  | { readonly kind: "ready"; readonly port: number }
  | { readonly kind: "failed"; readonly failure: Failure }
  | { readonly kind: "answer"; readonly id: number; readonly reply: VisitReply }
  | { readonly kind: "refused"; readonly id: number; readonly failure: Failure }
  | { readonly kind: "committed"; readonly committed: Committed; readonly undoable: number }
  | { readonly kind: "ended"; readonly committed: Committed; readonly why: VisitEnd; readonly looked: number }
  /** So many wrong passwords at the drive, by programs of this account; null where the system does not tell. */
  | { readonly kind: "wrong"; readonly account: number | null; readonly count: number };

/** Asked to, or by itself: its time was up, nobody used it, or the programs it was for have let go. */
export type VisitEnd = "asked" | "time" | "idle" | "let-go";
