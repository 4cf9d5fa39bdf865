import { EremosError, type OwnerEnvelope, isEremosError, openWithPassword, wipe } from "@eremos/core";
import type { Eremos } from "../eremos";
import { deriveKeys } from "../session/keys";
import { closeUp } from "./close-up";
import { recoverInterrupted } from "./recover-interrupted";
import { renewHeaders } from "./renew-headers";

/**
 * Opens the gate. Returns how many wrong passwords there were since the last sign-in.
 * @throws EremosError `too-many-tries` | `wrong-password`
 */
export async function signIn(eremos: Eremos, password: string): Promise<{ failedTries: number }> {
  const owner = eremos.requireOwner();
  const { rootKey, failedTries } = await throughGate(eremos, owner, password);
  try {
    eremos.keep(deriveKeys(owner, rootKey));
  } catch (error) {
    wipe(rootKey);
    throw error;
  }
  await recoverInterrupted(eremos);
  await eremos.registry.takeIn(eremos.requireKeys());
  await renewHeaders(eremos);
  eremos.announce({ topic: "session" });
  return { failedTries };
}

/** Nobody has touched the page for a while: as {@link signOut}, but a PIN, if there is one, still leads back in. */
export function signOutIdle(eremos: Eremos): void {
  lockAtSignOut(eremos, false);
  eremos.doze();
  eremos.announce({ topic: "session" });
}

function lockAtSignOut(eremos: Eremos, leaveOpen: boolean): void {
  closeUp(eremos, false, ({ rules }) => rules.atSignOut === "lock" || (rules.atSignOut === "ask" && !leaveOpen));
}

/** Back after an idle sign-out. @throws EremosError `wrong-pin` | `needs-sign-in` */
export async function returnWithPin(eremos: Eremos, pin: string): Promise<void> {
  eremos.wake(pin);
  await eremos.registry.takeIn(eremos.requireKeys());
  eremos.announce({ topic: "session" });
}

/** Proves that whoever sits here knows the master password, though somebody is signed in. @throws EremosError as {@link signIn} */
export async function provePassword(eremos: Eremos, password: string): Promise<void> {
  const { rootKey } = await throughGate(eremos, eremos.requireOwner(), password);
  wipe(rootKey);
}

/** Every look at a password goes through here: counted, and slowed down. The caller wipes the root key. */
async function throughGate(eremos: Eremos, owner: OwnerEnvelope, password: string): Promise<{ rootKey: Buffer; failedTries: number }> {
  eremos.gate.requireOpen();
  eremos.gate.beginTry();
  eremos.announce({ topic: "gate" });
  const { rootKey } = await openWithPassword(owner, password).catch((error: unknown) => {
    if (isEremosError(error) && error.code === "wrong-password") throw new EremosError(error.code, error.message, { waitMs: eremos.gate.startWait() });
    throw error;
  });
  return { rootKey, failedTries: eremos.gate.succeed() };
}

/**
 * Locks the keys away. Folders that lie open are locked where their rules say so: those that ask first, unless the answer was to leave them
 * open. The rest stays open, and can be locked without a password.
 */
export function signOut(eremos: Eremos, leaveOpen = false): void {
  lockAtSignOut(eremos, leaveOpen);
  eremos.forget();
  eremos.announce({ topic: "session" });
}
