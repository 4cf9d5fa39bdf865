import {
  type Consent,
  EremosError,
  type FolderPassword,
  type FolderSecret,
  type Password,
  type WaysIn,
  isEncrypting,
  wipe,
} from "@eremos/core";
import type { Way } from "../../contract";
import type { Eremos } from "../../eremos";
import { folderKeyBy } from "../../session/folder-key";
import { accessOf } from "../../session/keys";
import { type Target, findTarget } from "./find-target";
import { costLikeOwners } from "../entrance/password-cost";
import { refuseUnfit } from "../entrance/password-strength";
import { ensureKey, waysOf } from "../ways-back/renew-key";
import { said } from "@eremos/words/server/locking";

/**
 * Whether a folder has a password of its own, the hint to it, and whether it lies open. @throws EremosError
 * `not-protected` | `not-found`
 */
export function folderPasswordOf(
  eremos: Eremos,
  pathOrId: string,
  from: string,
): Pick<WaysIn, "hasPassword" | "hint"> & { readonly isOpen: boolean } {
  const { record, located } = findTarget(eremos, pathOrId, from);
  const ways = isEncrypting(located.inspection) ? waysOf(eremos, record) : null;
  return {
    hasPassword: ways?.hasPassword ?? false,
    hint: ways?.hint ?? null,
    isOpen: located.inspection.state === "open",
  };
}

export interface NewFolderPassword {
  readonly password: Password;
  readonly hint: string | null;
}

/** A password for one folder, fit to be used. @throws EremosError `weak-password` | `hint-gives-away` */
export async function prepareFolderPassword(eremos: Eremos, asked: NewFolderPassword): Promise<FolderPassword> {
  return { ...(await refuseUnfit(asked)), cost: costLikeOwners(eremos.requireOwner()) };
}

/**
 * Does something with the key of a folder that has a password of its own, and wipes it; with null for any other folder.
 * @throws EremosError `needs-folder-password` | `wrong-password` | `wrong-code` | `too-many-tries` | `costly`
 */
export async function withFolderKey<T>(
  eremos: Eremos,
  target: Target,
  secret: FolderSecret | null,
  use: (folderKey: Buffer | null) => T | Promise<T>,
  accept: readonly Consent[] = [],
): Promise<T> {
  const folderKey = await folderKeyOf(eremos, target, secret, accept);
  try {
    return await use(folderKey);
  } finally {
    wipe(folderKey);
  }
}

async function folderKeyOf(
  eremos: Eremos,
  target: Target,
  secret: FolderSecret | null,
  accept: readonly Consent[],
): Promise<Buffer | null> {
  await eremos.jobs.makeRoom(target.record.id);
  await ensureKey(eremos, target, secret, accept);
  const { record, located } = target;
  const ways = isEncrypting(located.inspection) ? waysOf(eremos, record) : null;
  if (!ways?.hasPassword) return null;
  if (!secret)
    throw new EremosError(
      "needs-folder-password",
      said("this-folder-has-password-its"),
      ways.hint === null ? {} : { hint: ways.hint },
    );
  const input = {
    path: located.realPath,
    access: accessOf(eremos.requireKeys(), eremos.requireOwner(), eremos.data.device.publicKey),
    keptHeader: eremos.registry.header(record.id),
    accept,
  };
  return folderKeyBy(eremos, record.id, input, secret);
}

/** By what a folder was opened: what it took of its own (`folderKey`), or what its owner signed in by. */
export function wayInto(eremos: Eremos, secret: FolderSecret | null, folderKey: Buffer | null): Way | null {
  if (!folderKey || !secret) return eremos.signedInBy;
  return secret.kind === "password" ? "folder-password" : secret.kind;
}

export interface FolderPasswordChange {
  readonly folder: string;
  /** For a folder that has a password of its own already. */
  readonly secret: FolderSecret | null;
  /** Null: none any more. */
  readonly password: NewFolderPassword | null;
}

/**
 * Sets, changes or takes off a folder's own password. Content stays as it is, and so does whether it is locked. @throws
 * EremosError
 */
export async function setFolderPassword(
  eremos: Eremos,
  { folder, secret, password }: FolderPasswordChange,
  from = "/",
): Promise<void> {
  const keys = eremos.requireKeys();
  const target = findTarget(eremos, folder, from);
  const { record, located } = target;
  if (!isEncrypting(located.inspection)) throw new EremosError("unsupported", said("only-sealed-folder-can-have"));
  const prepared = password && (await prepareFolderPassword(eremos, password));
  const header = await withFolderKey(eremos, target, secret, (folderKey) => {
    const access = accessOf(keys, eremos.requireOwner(), eremos.data.device.publicKey, folderKey);
    const input = { path: located.realPath, access, keptHeader: eremos.registry.header(record.id) };
    return eremos.ask<"folder-password">({ verb: "folder-password", input: { ...input, password: prepared } });
  });
  await eremos.ledger.happened(record.id, "folder-password", {}, { record, header });
  eremos.announce({ topic: "folders" });
}
