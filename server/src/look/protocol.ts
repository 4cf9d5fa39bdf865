import type {
  Failure,
  HiddenFound,
  LookRequest,
  Looked,
  Onlook,
  ScanEnd,
  ScanFound,
  ScanProgress,
  ScriptLock,
} from "@eremos/core";
import type { DroppedFound, PlaceEntry } from "../contract";
import type { DroppedAsked, SlotAsked } from "./walks";

/** Between a session and its lookers. What a looker is asked it only reads, and it is handed no key. */
export type Question =
  | { readonly kind: "folders"; readonly request: LookRequest }
  | { readonly kind: "place"; readonly asked: PlaceAsked }
  | { readonly kind: "onlook"; readonly asked: OnlookAsked }
  | { readonly kind: "dropped"; readonly asked: DroppedAsked }
  | { readonly kind: "slot"; readonly asked: SlotAsked }
  /** Protected folders below these. */
  | { readonly kind: "scan"; readonly places: readonly Buffer[] }
  /** What is hidden by other means, and home-made locks. */
  | { readonly kind: "hidden"; readonly places: readonly Buffer[] }
  /** Whether what it lies on answers at all. */
  | { readonly kind: "answers"; readonly path: string };

/** One directory, as its owner typed it. */
export interface PlaceAsked {
  readonly typed: string;
  readonly home: string;
  /** It must be in one of these, with every link followed. */
  readonly places: readonly string[];
  /** Ordinary paths of what is protected: they are listed in any case. */
  readonly listed: readonly string[];
}

/** What others see at a place. */
export interface OnlookAsked {
  readonly path: string;
  /** The name in it that the verdict is about; null: none, or the path's own where it is no directory. */
  readonly subject: string | null;
  /** The place must be in one of these, with every link followed. */
  readonly places: readonly string[];
}

/** As the page lists it, but for what is protected there. */
export interface PlaceLook {
  readonly path: string;
  readonly directories: readonly PlaceEntry[];
  readonly files: readonly PlaceEntry[];
  /** So many files are not listed. */
  readonly more: number;
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
  | { readonly kind: "onlooked"; readonly id: number; readonly onlook: Onlook }
  /** A walk goes on. */
  | { readonly kind: "still"; readonly id: number }
  | { readonly kind: "dropped"; readonly id: number; readonly found: DroppedFound }
  | { readonly kind: "slot"; readonly id: number; readonly path: string | null }
  | { readonly kind: "progress"; readonly id: number; readonly progress: ScanProgress }
  | { readonly kind: "scanned"; readonly id: number; readonly found: ScanFound }
  | { readonly kind: "hidden"; readonly id: number; readonly found: HiddenFound }
  | { readonly kind: "script"; readonly id: number; readonly found: ScriptLock }
  /** Of a search. */
  | { readonly kind: "end"; readonly id: number; readonly end: ScanEnd }
  | { readonly kind: "done"; readonly id: number }
  | { readonly kind: "failed"; readonly id: number; readonly failure: Failure };
