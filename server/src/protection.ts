import { z } from "zod";
import { type Guarding, NO_BARS, VISIBILITIES, barsSchema } from "@eremos/core";
import type { Bars, Guard, Protection, Visibility } from "./contract";

/** How a folder is locked: the guard, what shows of it, and for a barred one who may still do what. */
export const GUARDS = ["sealed", "barred", "sight"] as const satisfies readonly Guard[];

export const visibilitySchema = z.enum(VISIBILITIES);
export const guardSchema = z.enum(GUARDS);

/** The same three fields in a row of the list and in a note. */
export const protectionShape = {
  guard: guardSchema.default("sealed"),
  visibility: visibilitySchema,
  bars: barsSchema.nullable().default(null),
};

export const protectionSchema = z.strictObject({ guard: guardSchema, visibility: visibilitySchema, bars: barsSchema.nullable() });

/** What is asked for; null: as it was, or as is usual. */
export interface ProtectionRequest {
  readonly guard: Guard | null;
  readonly visibility: Visibility | null;
  readonly bars: Bars | null;
}

export const AS_BEFORE: ProtectionRequest = { guard: null, visibility: null, bars: null };

/** Nobody else gets in; this account does as it likes. */
export const USUAL_BARS: Bars = { others: "nothing", own: "everything" };

/** What a folder is locked with, given what is asked for and what is known of it from before. */
export function protectionFor(asked: ProtectionRequest, known: Protection | null): Protection {
  const guard = asked.guard ?? known?.guard ?? "sealed";
  const visibility = asked.visibility ?? known?.visibility ?? "view";
  return {
    guard,
    visibility: guard === "sight" && visibility === "view" && asked.visibility === null ? "hidden" : visibility,
    bars: guard === "barred" ? (asked.bars ?? known?.bars ?? USUAL_BARS) : null,
  };
}

/** The engine's input for the guards that leave contents as they are. */
export function guardingOf({ guard, visibility, bars }: Protection, places: readonly string[]): Guarding {
  return { guard: guard === "barred" ? "barred" : "sight", bars: bars ?? NO_BARS, visibility, places: placesOf(places) };
}

export function placesOf(places: readonly string[]): Buffer[] {
  return places.map((place) => Buffer.from(place));
}
