import * as z from "zod";
import { type Grounds, type Guarding, NO_BARS, USUAL_BARS, barsSchema, traitsOf, whyNotCover } from "@eremos/core";
import { USUAL_CHOICE, guardSchema, iconSchema, visibilitySchema } from "./calls/shapes/folders";
import type { Bars, FolderKind, GuardName, Icon, Protection, Visibility } from "./contract";
import { LOCKED_EMBLEM } from "./desktop/item-type";
import { LOCKED_ITEM, lockedPage } from "./page";

const coverSchema = z.string().refine((name) => whyNotCover(name) === null);

/** The same fields in a row of the list and in a note. */
export const protectionShape = {
  guard: guardSchema.default("sealed"),
  visibility: visibilitySchema,
  cover: coverSchema.nullable().default(null),
  icon: iconSchema.nullable().default(null),
  bars: barsSchema.nullable().default(null),
};

/** What is asked for; null: as it was, or as is usual. */
export interface ProtectionRequest {
  readonly guard: GuardName | null;
  readonly visibility: Visibility | null;
  readonly bars: Bars | null;
  /** `undefined`: as it was. */
  readonly cover?: string | null;
  readonly icon?: Icon | null;
}

export const AS_BEFORE: ProtectionRequest = { guard: null, visibility: null, bars: null };

/**
 * What a folder is locked with, given what is asked for and what is known of it from before. What was chosen last for
 * another one is offered where it is seen before the lock, and nowhere else: no lock is weaker than it looks.
 */
export function protectionFor(asked: ProtectionRequest, known: Protection | null): Protection {
  const guard = asked.guard ?? known?.guard ?? USUAL_CHOICE.guard;
  const visibility = asked.visibility ?? known?.visibility ?? USUAL_CHOICE.visibility;
  const cover = asked.cover === undefined ? (known?.cover ?? null) : asked.cover;
  const icon = asked.icon === undefined ? (known?.icon ?? null) : asked.icon;
  const { encrypts, hasBars, worksInView } = traitsOf(guard);
  return {
    guard,
    visibility: !worksInView && visibility === "view" && asked.visibility === null ? "hidden" : visibility,
    cover: visibility === "view" ? cover : null,
    icon: visibility === "view" && encrypts ? icon : null,
    bars: hasBars ? (asked.bars ?? known?.bars ?? USUAL_BARS) : null,
  };
}

/** How the engine is told of it. */
export function guardingOf({ guard, visibility, cover, bars }: Protection, grounds: Grounds): Guarding {
  return { guard, bars: bars ?? NO_BARS, visibility, cover, ...grounds };
}

/** What a desktop makes of signs. */
export interface DesktopSigns {
  /** It opens the item by Eremos. */
  readonly opensItems: boolean;
  /** Its owner wants locked folders to be marked in it. */
  readonly marks: boolean;
}

/**
 * What stands in a sealed folder that stays in view; the item only where the desktop opens it by Eremos. One with a
 * cover name is to look like any other, and has no mark.
 */
export function signsOf(
  { kind, visibility, cover, icon }: Protection & { readonly kind: FolderKind },
  { opensItems, marks }: DesktopSigns,
): { readonly page: Buffer | null; readonly item: Buffer | null; readonly icon: Buffer | null } {
  if (visibility !== "view") return { page: null, item: null, icon: null };
  const shown = icon ?? (marks && cover === null ? LOCKED_EMBLEM.icon : null);
  return {
    page: lockedPage(kind, opensItems),
    item: opensItems ? LOCKED_ITEM : null,
    icon: shown === null ? null : iconFile(shown),
  };
}

/**
 * By it a file manager shows a folder with an icon of its own. Source: freedesktop.org Desktop Entry Specification,
 * type Directory.
 */
function iconFile(icon: string): Buffer {
  return Buffer.from(`[Desktop Entry]\nType=Directory\nIcon=${icon}\n`);
}

/** Of a record that has it among other things. */
export function protectionOf({ guard, visibility, cover, icon, bars }: Protection): Protection {
  return { guard, visibility, cover, icon, bars };
}
