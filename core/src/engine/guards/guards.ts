import { type GuardName, traitsOf } from "../../format/guards";
import type { Dir, Disk } from "../../platform/port";
import { loadState } from "../records";
import type { Guard, Records } from "./guard";
import { barred } from "./barred/guard";
import { sealed } from "./sealed/guard";
import { sight } from "./sight/guard";
import { loadGuard } from "./unencrypted/guard-records";

/** Every guard. The one place that knows them all. */
const GUARDS: { readonly [N in GuardName]: Guard<Records[N]> } = { sealed, barred, sight };

/** What stands on the disk: the guard that governs a folder, and its record. */
export type Governing<N extends GuardName = GuardName> = {
  [K in N]: { readonly guard: K; readonly record: Records[K] };
}[N];

/**
 * Which guard governs a folder, by what stands in Eremos' directory; null where none does. The one place where that is
 * decided: the record of another guard governs but where the folder was open under it and has been sealed since.
 * @throws EremosError `damaged` | `unsupported` | `unknown-version` (a guard that this version does not know, too)
 */
export function governingIn(disk: Disk, ownDir: Dir): Governing | null {
  const guarded = loadGuard(disk, ownDir);
  if (guarded) return { guard: guarded.guard, record: guarded };
  const state = loadState(disk, ownDir);
  return state && { guard: "sealed", record: state };
}

/** The guard that governs a folder. */
export function guardOf<N extends GuardName>({ guard }: Governing<N>): Guard<Records[N]> {
  return GUARDS[guard];
}

export function guardNamed(guard: GuardName): Pick<Guard<never>, "preview" | "lock" | "reach"> {
  return GUARDS[guard];
}

/** Whether a folder gets from one to the other without its contents being read and written. */
export function isChangeAlone(from: GuardName, to: GuardName): boolean {
  return traitsOf(from).encrypts === traitsOf(to).encrypts;
}
