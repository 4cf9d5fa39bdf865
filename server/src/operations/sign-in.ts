import { EremosError, isEremosError, openWithPassword, wipe } from "@eremos/core";
import type { Eremos } from "../eremos";
import { deriveKeys } from "../session/keys";
import { recoverInterrupted } from "./recover-interrupted";

/**
 * Opens the gate. Returns how many wrong passwords there were since the last sign-in.
 * @throws EremosError `too-many-tries` | `wrong-password`
 */
export async function signIn(eremos: Eremos, password: string): Promise<{ failedTries: number }> {
  const owner = eremos.requireOwner();
  eremos.gate.requireOpen();
  eremos.gate.beginTry();
  eremos.announce({ topic: "gate" });
  const { rootKey } = await openWithPassword(owner, password).catch((error: unknown) => {
    if (isEremosError(error) && error.code === "wrong-password") throw new EremosError(error.code, error.message, { waitMs: eremos.gate.startWait() });
    throw error;
  });
  const failedTries = eremos.gate.succeed();
  try {
    eremos.keep(deriveKeys(owner, rootKey));
  } catch (error) {
    wipe(rootKey);
    throw error;
  }
  await recoverInterrupted(eremos);
  await eremos.registry.takeIn(eremos.requireKeys());
  eremos.announce({ topic: "session" });
  return { failedTries };
}

/** Locks the keys away. Folders that lie open stay open, and can be locked without a password. */
export function signOut(eremos: Eremos): void {
  eremos.forget();
  eremos.announce({ topic: "session" });
}
