import * as z from "zod";
import { say } from "@eremos/words/guards";

/**
 * The ways in which contents are kept, and what of each the rest of Eremos has to know: nobody else asks for a guard by
 * its name. Pure: the pages read it too.
 */
export const GUARDS = ["sealed", "barred", "sight"] as const;
export type GuardName = (typeof GUARDS)[number];

export interface GuardTraits {
  /** How a folder is that has it: "X is sealed". */
  readonly word: string;
  /** Contents are encrypted: there are keys, ways in, earlier states, a drop slot, and all that rests on them. */
  readonly encrypts: boolean;
  /** It says who may still do what. */
  readonly hasBars: boolean;
  /** It protects a folder that stays in view. */
  readonly worksInView: boolean;
}

const TRAITS: Readonly<Record<GuardName, GuardTraits>> = {
  sealed: { word: say("sealed"), encrypts: true, hasBars: false, worksInView: true },
  barred: { word: say("barred"), encrypts: false, hasBars: true, worksInView: true },
  sight: { word: say("sight"), encrypts: false, hasBars: false, worksInView: false },
};

export function traitsOf(guard: GuardName): GuardTraits {
  return TRAITS[guard];
}

/** Whether what has this guard is encrypted while it is locked. */
export function isEncrypting({ guard }: { readonly guard: GuardName }): boolean {
  return TRAITS[guard].encrypts;
}

/** What somebody may still do with the contents of a barred folder; each level includes those before it. */
export const LEVELS = ["nothing", "list", "read", "change", "everything"] as const;
export type Level = (typeof LEVELS)[number];

/** Who may still do what with a barred folder. */
export const barsSchema = z.strictObject({
  /** Other accounts of this computer. */
  others: z.enum(LEVELS),
  /** The account the folder belongs to, as a protection against slips. Never less than others. */
  own: z.enum(LEVELS),
});
export type Bars = Readonly<z.output<typeof barsSchema>>;

export const NO_BARS: Bars = { others: "everything", own: "everything" };

/** Nobody else gets in; this account does as it likes. */
export const USUAL_BARS: Bars = { others: "nothing", own: "everything" };
