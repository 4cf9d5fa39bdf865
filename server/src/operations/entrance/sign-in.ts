import {
  EremosError,
  type Looked,
  type Password,
  deviceId,
  isEremosError,
  openWithPassword,
  wipe,
  withDevice,
} from "@eremos/core";
import type { Note } from "../../data-directory";
import type { Eremos } from "../../eremos";
import { Keys } from "../../session/keys";
import { throughGate } from "../../session/gate";
import { causedBy } from "../../ledger/cause";
import { closeUp } from "../locking/close-up";
import { sealArrivals } from "../folders/drop";
import { followDrives, lookAtAll } from "../folders/follow-drives";
import { renewFolders, sealRowsOfBefore, takeInEarlier } from "../ways-back/renew-folders";
import { recoverInterrupted, tellOfListed } from "../ways-back/recover-interrupted";
import { renewHeaders } from "../ways-back/renew-headers";
import { replaceOwner } from "./replace-owner";
import { said } from "@eremos/words/server/entrance";

export interface GateOpened {
  /** How many wrong passwords there were since the last sign-in. */
  readonly failedTries: number;
  /** What was seen of the folders; null where something was done with one since. */
  readonly looked: readonly Looked[] | null;
}

/** Opens the gate. @throws EremosError `too-many-tries` | `wrong-password` */
export async function signIn(eremos: Eremos, password: Password): Promise<GateOpened> {
  const owner = eremos.requireOwner();
  const { opened, failedTries } = await throughGate(eremos, "password", () => openWithPassword(owner, password));
  const { rootKey } = opened;
  try {
    eremos.takeKeys(new Keys(owner, rootKey), "password");
  } catch (error) {
    wipe(rootKey);
    throw error;
  }
  eremos.stay.pause(false);
  eremos.data.forgetOwnerBefore();
  return { failedTries, looked: await eremos.holding((keys) => afterSignIn(eremos, keys)) };
}

/** Returns what it saw of every folder, where it left them all as they were; else null. */
export async function afterSignIn(eremos: Eremos, keys: Keys): Promise<GateOpened["looked"]> {
  sealRowsOfBefore(eremos, keys);
  await recoverInterrupted(eremos);
  await takeInEarlier(eremos, keys);
  await signedIn(eremos);
  tellOfListed(eremos);
  await knowThisComputer(eremos, keys);
  const looked = await lookAtAll(eremos, keys);
  const moved = followDrives(eremos, keys, looked);
  await renewHeaders(eremos, keys);
  const renewed = await renewFolders(eremos, keys);
  const taken = await sealArrivals(eremos, keys, looked);
  eremos.announce({ topic: "session" });
  return moved + renewed + taken > 0 ? null : looked;
}

/** After what came while nobody was: the one sign-in that this session began with. */
function signedIn(eremos: Eremos): Promise<void> {
  return eremos.ledger.noticed("", "signed-in", { way: eremos.signedInBy });
}

/** What this computer locks while nobody is signed in is known as the owner's on their other computers, too. */
async function knowThisComputer(eremos: Eremos, keys: Keys): Promise<void> {
  const { computer } = eremos.data;
  if (eremos.requireOwner().devices.some(({ id, until }) => id === deviceId(computer.publicKey) && until === null))
    return;
  try {
    await replaceOwner(eremos, keys, (owner, rootKey) => withDevice(owner, rootKey, computer), []);
  } catch (error) {
    // Another Eremos is writing the record just now: the next sign-in does it.
    if (!isEremosError(error)) throw error;
  }
}

/** For a program of this account whose owner chose to stay signed in. @throws EremosError `needs-sign-in` */
export async function returnStaying(eremos: Eremos): Promise<void> {
  const owner = eremos.requireOwner();
  if (eremos.keys) return;
  const rootKey = eremos.stay.isWaiting(owner) ? eremos.stay.rootKey(owner) : null;
  if (!rootKey) throw new EremosError("needs-sign-in", said("eremos-cant-sign-in-by"));
  eremos.takeKeys(new Keys(owner, rootKey), "stay");
  await eremos.holding((keys) => afterSignIn(eremos, keys));
}

/**
 * Stays signed in on this account from now on, or no longer. Turning it on asks for the master password. @throws
 * EremosError as {@link signIn}
 */
export function setStay(eremos: Eremos, current: Password | null): Promise<void> {
  return eremos.holding(async (keys) => {
    const owner = eremos.requireOwner();
    if (current === null) eremos.stay.turnOff(owner);
    else {
      await provePassword(eremos, current);
      eremos.requireSame(keys);
      eremos.stay.turnOn(owner, keys.rootKey);
    }
    await eremos.ledger.happened("", "stay", { count: current === null ? 0 : 1 });
    eremos.announce({ topic: "session" });
  });
}

/** Nobody has touched the page for a while: as {@link signOut}, but a PIN, if there is one, still leads back in. */
export function signOutIdle(eremos: Eremos, why: "idle" | "asleep" = "idle"): void {
  causedBy({ from: "itself", why }, () => leave(eremos, false));
  eremos.doze();
  eremos.announce({ topic: "session" });
}

function leave(eremos: Eremos, leaveOpen: boolean): void {
  void eremos.ledger.noticed("", "signed-out");
  void eremos.visits.endAll();
  const locks = ({ rules }: Note): boolean => rules.atSignOut === "lock" || (rules.atSignOut === "ask" && !leaveOpen);
  void causedBy({ from: "itself", why: "signed-out" }, () => closeUp(eremos, false, locks));
}

/** Back after an idle sign-out. @throws EremosError `wrong-pin` | `needs-sign-in` */
export async function returnWithPin(eremos: Eremos, pin: string): Promise<void> {
  try {
    eremos.wake(pin);
  } catch (error) {
    await eremos.ledger.noticed("", "wrong", { way: "pin", account: eremos.accountOf(eremos.gate.caller) });
    throw error;
  }
  await eremos.holding(async (keys) => {
    await eremos.registry.takeIn(keys);
    await signedIn(eremos);
  });
  eremos.announce({ topic: "session" });
}

/**
 * Proves that whoever sits here knows the master password, though somebody is signed in. @throws EremosError as {@link
 * signIn}
 */
export async function provePassword(eremos: Eremos, password: Password): Promise<void> {
  const owner = eremos.requireOwner();
  const { opened } = await throughGate(eremos, "password", () => openWithPassword(owner, password));
  wipe(opened.rootKey);
}

/**
 * Locks the keys away. Folders that lie open are locked where their rules say so: those that ask first, unless the
 * answer was to leave them open. The rest stays open, and can be locked without a password.
 */
export function signOut(eremos: Eremos, leaveOpen = false): void {
  leave(eremos, leaveOpen);
  eremos.stay.pause(true);
  eremos.forget();
  eremos.announce({ topic: "session" });
}
