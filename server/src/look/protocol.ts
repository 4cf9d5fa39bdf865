import type { Failure, LookRequest, Looked } from "@eremos/core";

/** Between a session and its lookers. What a looker is asked it only reads, and it is handed no key. */
export type Question =
  | { readonly kind: "folders"; readonly request: LookRequest }
  /** One directory, with what stands in it. */
  | { readonly kind: "place"; readonly directory: string };

export interface PlaceLook {
  readonly entries: readonly LookedEntry[];
}

export interface LookedEntry {
  readonly name: string;
  readonly type: "dir" | "file" | "link" | "other";
  /** A file manager shows it only when asked to. */
  readonly isHidden: boolean;
  /** A directory with something in it. */
  readonly holdsSomething: boolean;
}

export type ToLooker =
  /** By which this computer knows its own records. */
  | { readonly kind: "begin"; readonly identity: Uint8Array }
  | { readonly kind: "ask"; readonly id: number; readonly question: Question };

export type FromLooker =
  /** It has come to this question. */
  | { readonly kind: "begun"; readonly id: number }
  /** Which folder it is at. */
  | { readonly kind: "at"; readonly id: number; readonly folder: string }
  /** One folder of many; the answer comes when all have been looked at. */
  | { readonly kind: "looked"; readonly id: number; readonly looked: Looked }
  | { readonly kind: "place"; readonly id: number; readonly place: PlaceLook }
  | { readonly kind: "done"; readonly id: number }
  | { readonly kind: "failed"; readonly id: number; readonly failure: Failure };
