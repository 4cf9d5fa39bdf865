import type { Failure } from "@eremos/core";
import type { ServerRecord } from "../data-directory";
import type { Settings } from "../settings";
import type { Drive } from "../visit/visits";

/** How the process that holds the doors and the processes behind them, one for each session, speak with each other. */
export type ToSession =
  | {
      readonly kind: "begin";
      readonly settings: Settings;
      readonly development: boolean;
      readonly record: ServerRecord;
      readonly carried: Carried;
    }
  /** A connection comes with it. */
  | { readonly kind: "connection" }
  /** Every further connection goes to the next one: end what is under way, and yourself. */
  | { readonly kind: "retire" }
  | { readonly kind: "cancel"; readonly job: string }
  /** Shut out at the doors so often: of this account. */
  | { readonly kind: "stranger"; readonly account: number; readonly count: number }
  /** What was told of the drives last, or before, is so: no other account gets those ports. */
  | { readonly kind: "drives-held" }
  | { readonly kind: "stop" };

export type FromSession =
  | { readonly kind: "ready" }
  | { readonly kind: "failed"; readonly failure: Failure }
  /** The session is over, and its keys with it: this process gets no others. */
  | { readonly kind: "over"; readonly carried: Carried }
  /** All the drives there are now: their ports are to be nobody else's. */
  | { readonly kind: "drives"; readonly drives: readonly Drive[] }
  /** For whichever earlier session's process still works on it. */
  | { readonly kind: "cancel"; readonly job: string };

/** What is to be known in the next session of the same start; never a secret. */
export interface Carried {
  /** Eremos itself was started just now. */
  readonly isFirst: boolean;
  /** Whoever signs out by hand is not signed in again by itself. */
  readonly stayPaused: boolean;
}
