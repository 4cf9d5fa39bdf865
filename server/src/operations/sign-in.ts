import { EremosError, openWithPassword, wipe } from "@eremos/core";
import type { Eremos } from "../eremos";
import { deriveKeys } from "../session/keys";
import { throughGate } from "../session/gate";
import { closeUp } from "./close-up";
import { sealArrivals } from "./drop";
import { recoverInterrupted, tellOfListed } from "./recover-interrupted";
import { renewHeaders } from "./renew-headers";

/**
 * Opens the gate. Returns how many wrong passwords there were since the last sign-in.
 * @throws EremosError `too-many-tries` | `wrong-password`
 */
export async function signIn(eremos: Eremos, password: string): Promise<{ failedTries: number }> {
  const owner = eremos.requireOwner();
  const { opened, failedTries } = await throughGate(eremos, () => openWithPassword(owner, password));
  const { rootKey } = opened;
  try {
    eremos.keep(deriveKeys(owner, rootKey));
  } catch (error) {
    wipe(rootKey);
    throw error;
  }
  eremos.stay.pause(false);
  await settleIn(eremos);
  return { failedTries };
}

export async function settleIn(eremos: Eremos): Promise<void> {
  await recoverInterrupted(eremos);
  await eremos.registry.takeIn(eremos.requireKeys());
  tellOfListed(eremos);
  await renewHeaders(eremos);
  await sealArrivals(eremos);
  eremos.announce({ topic: "session" });
}

/** For a program of this account whose owner chose to stay signed in. @throws EremosError `needs-sign-in` */
export async function returnStaying(eremos: Eremos): Promise<void> {
  const owner = eremos.requireOwner();
  if (eremos.keys) return;
  const rootKey = eremos.stay.isWaiting(owner) ? eremos.stay.rootKey(owner) : null;
  if (!rootKey) throw new EremosError("needs-sign-in", "Eremos can't sign in by itself any more. Nothing was changed; sign in with the master password.");
  eremos.keep(deriveKeys(owner, rootKey));
  await settleIn(eremos);
}

/** Stays signed in on this account from now on, or no longer. Turning it on asks for the master password. @throws EremosError as {@link signIn} */
export async function setStay(eremos: Eremos, current: string | null): Promise<void> {
  const keys = eremos.requireKeys();
  const owner = eremos.requireOwner();
  if (current === null) eremos.stay.turnOff(owner);
  else {
    await provePassword(eremos, current);
    eremos.stay.turnOn(owner, keys.rootKey);
  }
  eremos.announce({ topic: "session" });
}

/** Nobody has touched the page for a while: as {@link signOut}, but a PIN, if there is one, still leads back in. */
export function signOutIdle(eremos: Eremos): void {
  lockAtSignOut(eremos, false);
  eremos.doze();
  eremos.announce({ topic: "session" });
}

function lockAtSignOut(eremos: Eremos, leaveOpen: boolean): void {
  void eremos.visits.endAll();
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
  const owner = eremos.requireOwner();
  const { opened } = await throughGate(eremos, () => openWithPassword(owner, password));
  wipe(opened.rootKey);
}


/**
 * Locks the keys away. Folders that lie open are locked where their rules say so: those that ask first, unless the answer was to leave them
 * open. The rest stays open, and can be locked without a password.
 */
export function signOut(eremos: Eremos, leaveOpen = false): void {
  lockAtSignOut(eremos, leaveOpen);
  eremos.stay.pause(true);
  eremos.forget();
  eremos.announce({ topic: "session" });
}
