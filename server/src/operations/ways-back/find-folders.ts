import {
  type Adopted,
  type Consent,
  EremosError,
  type Inspection,
  type OwnerSecret,
  type Password,
  ProvenOwner,
  type RescueSecret,
  type ScanFound,
  displayPath,
  fromSystemError,
  isEncrypting,
  isEremosError,
  isLocked,
  openOwner,
  traitsOf,
  wipe,
  withDevice,
  withPassword,
} from "@eremos/core";
import type { FoundFolder, ScanView, TakenIn } from "../../contract";
import type { Eremos } from "../../eremos";
import { whereIs } from "../../look/where-is";
import type { FolderRecord } from "../../ledger/registry";
import { throughGate } from "../../session/gate";
import { Keys } from "../../session/keys";
import { readOwnerAt } from "../entrance/owner-at";
import { decodePath, encodePath, fullPath, nameOf } from "../../paths";
import { costOfChoice } from "../entrance/password-cost";
import { refuseUnfit } from "../entrance/password-strength";
import { giveKey, waysOf } from "./renew-key";
import { afterSignIn } from "../entrance/sign-in";
import { said, say } from "@eremos/words/server/ways-back";

/** What is the owner's own, or in question, stands before what others put there. */
const ORDER: readonly FoundFolder["relation"][] = ["lost", "moved", "listed", "copy", "another-owner", "damaged"];

/** What was found, each as it stands to what this Eremos knows; `upTo` so many of them. */
export function scanView(eremos: Eremos, upTo = Number.POSITIVE_INFINITY): ScanView {
  const { found, ...rest } = eremos.finder.state;
  const listed = new Map((eremos.keys ? eremos.registry.list(eremos.keys) : []).map((record) => [record.id, record]));
  const all = found
    .map((one) => viewOf(eremos, one, listed.get(one.folder ?? "")))
    .sort((a, b) => ORDER.indexOf(a.relation) - ORDER.indexOf(b.relation));
  return { ...rest, found: all.slice(0, upTo), more: Math.max(0, all.length - upTo) };
}

function viewOf(eremos: Eremos, { path, signing, ...one }: ScanFound, known: FolderRecord | undefined): FoundFolder {
  return {
    ...one,
    path: displayPath(path),
    listedAs: known ? displayPath(decodePath(known.path)) : null,
    relation: relationOf(eremos, path, { ...one, signing }, known),
  };
}

function relationOf(
  eremos: Eremos,
  path: Buffer,
  { folder, owner, signing }: Pick<ScanFound, "folder" | "owner" | "signing">,
  known: FolderRecord | undefined,
): FoundFolder["relation"] {
  if (folder === null) return "damaged";
  if (known) {
    const located = locateOrNull(eremos, known.path, folder);
    if (!located) return "moved";
    return located.equals(path) ? "listed" : "copy";
  }
  const own = eremos.data.owner();
  // One from before its owner made new keys asks for the password of then, as another owner's does.
  return owner === own?.owner && signing === own?.signing.publicKey ? "lost" : "another-owner";
}

function locateOrNull(eremos: Eremos, path: string, folder: string): Buffer | null {
  try {
    return whereIs(eremos, { path, id: folder })?.realPath ?? null;
  } catch (error) {
    if (isEremosError(error)) return null;
    throw error;
  }
}

/** Looks through some places, or all of the owner's, and waits for the end. */
export async function scanPlaces(eremos: Eremos, places: readonly string[] | null, from: string): Promise<ScanView> {
  eremos.finder.start((places ?? eremos.places).map((place) => fullPath(place, eremos.settings.home, from)));
  await eremos.finder.ended;
  return scanView(eremos);
}

export interface TakeInRequest {
  readonly path: string;
  readonly secret: RescueSecret | null;
  readonly accept?: readonly Consent[];
}

/**
 * Takes a found folder into the list: one the list has lost, one that was moved, or another owner's. Returns its id.
 * @throws EremosError `already-protected` (it is in the list, where that says) and as adopting it
 */
export async function takeIn(eremos: Eremos, { path: typed, secret, accept = [] }: TakeInRequest): Promise<string> {
  const keys = eremos.requireKeys();
  const path = fullPath(typed, eremos.settings.home);
  const inspection = requireFound(eremos, path);
  const known = eremos.registry.list(keys).find(({ id }) => id === inspection.folder);
  const located = known && locateOrNull(eremos, known.path, known.id);
  if (known && located && (!located.equals(path) || inspection.isOwn || isEncrypting(inspection))) {
    const where = displayPath(decodePath(known.path));
    throw new EremosError(
      "already-protected",
      located.equals(path) ? said("it-is-in-list-already", { where }) : said("this-is-second-copy-which", { where }),
    );
  }
  const owner = eremos.requireOwner();
  const devices = [eremos.data.device.publicKey];
  if (known && waysOf(eremos, known)?.hasEarlierKeys && secret === null)
    await giveKey(eremos, keys, { record: known, located: { realPath: path, inspection } });
  const its = await readOwnerAt(path);
  const isOwn = its.owner === owner.owner && its.signing.publicKey === owner.signing.publicKey;
  // The owner is signed in already: of the two passwords of such a folder, only its own is asked.
  const needed: RescueSecret | null =
    isOwn && secret?.kind === "password"
      ? {
          kind: "root",
          rootKey: keys.rootKey,
          devices,
          folder: secret.folderPassword === null ? null : { kind: "password", password: secret.folderPassword },
        }
      : secret;
  const places = eremos.places.map((place) => Buffer.from(place));
  const input = { path, places, owner, rootKey: keys.rootKey, devices, secret: needed, accept };
  const adopt = (): Promise<Adopted> => eremos.ask<"adopt">({ verb: "adopt", input });
  const adopted =
    secret === null ? await adopt() : (await throughGate(eremos, `found/${inspection.folder}`, adopt)).opened;
  const { guard, visibility, lockedName, single } = inspection;
  const at = Date.now();
  const isOpen = !isLocked(inspection);
  const protection = {
    guard,
    visibility,
    cover: visibility === "view" ? lockedName : null,
    icon: null,
    bars: traitsOf(guard).hasBars ? adopted.bars : null,
  };
  const record = {
    ...(known ?? {
      rules: null,
      openedAt: null,
      codeProvenAt: null,
      sharesProvenAt: null,
      lastCheck: null,
      epoch: 1,
      removed: null,
      olderStates: 0,
      protectedAt: at,
    }),
    ...protection,
    id: adopted.folder,
    path: encodePath(adopted.path),
    kind: known?.kind ?? (single ? ("file" as const) : ("folder" as const)),
    files: adopted.files,
    bytes: adopted.bytes,
    generation: adopted.generation,
    digest: adopted.digest,
    publicKey: adopted.publicKey,
    lockedAt: known?.lockedAt ?? null,
  };
  await eremos.ledger.takenIn(
    keys,
    record,
    adopted.header,
    adopted.publicKey === "" ? null : eremos.glance.ownDirPlace(path),
    isOpen ? at : null,
  );
  eremos.announce({ topic: "scan" });
  return adopted.folder;
}

function requireFound(eremos: Eremos, path: Buffer): Inspection {
  const inspection = eremos.glance.inspect(path);
  if (inspection) return inspection;
  throw new EremosError("not-protected", said("there-is-nothing-eremos-at", { path: displayPath(path) }));
}

export interface ReturnRequest {
  /** A folder that the owner locked before. */
  readonly path: string;
  readonly secret: OwnerSecret;
  /** With the code or shares: a new master password. */
  readonly password: Password | null;
  readonly hint: string | null;
}

/**
 * First run of an owner who has been here before: Eremos was removed, or this is another computer. The owner comes out
 * of a folder they locked; then everything of theirs that was found is taken in. Signs in.
 * @throws EremosError `already-set-up` | `not-protected` | `wrong-password` | `wrong-code` | `wrong-share` |
 * `too-few-shares` | `weak-password`
 */
export async function returnOwner(eremos: Eremos, { path, secret, password, hint }: ReturnRequest): Promise<TakenIn> {
  if (eremos.data.owner()) throw new EremosError("already-set-up", said("eremos-already-has-master-password"));
  const owner = await readOwnerAt(fullPath(path, eremos.settings.home));
  const fit = password === null ? null : await refuseUnfit({ password, hint });
  if (secret.kind !== "password" && password === null)
    throw new EremosError("usage", said("with-recovery-code-or-shares"));
  const {
    opened: { rootKey },
  } = await throughGate(eremos, `found/${owner.owner}`, () => openOwner(owner, secret));
  try {
    const renewed =
      password === null ? owner : await withPassword(owner, rootKey, password, await costOfChoice(eremos, owner));
    const known = withDevice(renewed, rootKey, eremos.data.computer);
    eremos.data.writeOwner(
      await ProvenOwner.prove(known, rootKey, [password === null ? secret : { kind: "password", password }]),
      null,
    );
    eremos.gate.setHint(fit?.hint ?? null);
    eremos.takeKeys(new Keys(known, rootKey), secret.kind);
  } catch (error) {
    wipe(rootKey);
    throw error;
  }
  return eremos.holding(async (keys) => {
    await afterSignIn(eremos, keys);
    return takeInFound(eremos);
  });
}

/**
 * Everything of this owner's that the scan found and the list does not have. Those with a password of their own wait
 * for it.
 */
export async function takeInFound(eremos: Eremos): Promise<TakenIn> {
  const taken: string[] = [];
  const left: { path: string; reason: string }[] = [];
  for (const one of scanView(eremos).found.filter(({ relation }) => relation === "lost" || relation === "moved")) {
    // What is not encrypted proves nothing of itself: it is taken in one by one, by whoever looks at it.
    if (one.guard === null || !isEncrypting({ guard: one.guard })) {
      left.push({
        path: one.path,
        reason: say("it-is-not-encrypted-and"),
      });
      continue;
    }
    try {
      await takeIn(eremos, { path: one.path, secret: null });
      taken.push(nameOf(Buffer.from(one.path)));
    } catch (error) {
      left.push({ path: one.path, reason: fromSystemError(error, said("taking-it-in")).message });
    }
  }
  return { taken, left };
}
