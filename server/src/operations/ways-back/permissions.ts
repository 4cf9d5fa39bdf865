import {
  type AccessProblem,
  type FolderSecret,
  type Ownership,
  displayPath,
  isEncrypting,
  isEremosError,
} from "@eremos/core";
import type { PermissionsView } from "../../contract";
import type { Eremos } from "../../eremos";
import { whereIs } from "../../look/where-is";
import type { FolderRecord } from "../../ledger/registry";
import { findTarget } from "../locking/find-target";
import { withFolderKey } from "../locking/folder-password";
import { decodePath } from "../../paths";
import { sealedInput } from "../locking/sealed-input";
import { say } from "@eremos/words/server/ways-back";

export interface PermissionsAsked {
  readonly folder: string;
  readonly secret: FolderSecret | null;
  /** Sets back what this account may set back. */
  readonly repair: boolean;
}

const MOST_LISTED = 200;

/**
 * Whether this account still gets at a protected folder, and, where it lies open, what of its permissions, owners and
 * access lists is not as it was recorded at its last lock. @throws EremosError `not-protected` |
 * `needs-folder-password`
 */
export async function permissions(
  eremos: Eremos,
  { folder, secret, repair }: PermissionsAsked,
): Promise<PermissionsView> {
  const keys = eremos.requireKeys();
  const record = eremos.registry.list(keys).find(({ id }) => id === folder);
  const place = record ? placeOf(eremos, record) : findTarget(eremos, folder, "/").located.realPath;
  const access = await eremos.ask<"access">({ verb: "access", input: { path: place, repair } });
  const shown = access.slice(0, MOST_LISTED).map(viewOf);
  if (access.length > 0 || !record || !isEncrypting(record) || !isOpen(eremos, record))
    return { access: shown, advice: adviceFor(place, access), changes: [], entries: 0, repaired: 0, compared: false };
  const target = findTarget(eremos, folder, "/");
  const outcome = await withFolderKey(eremos, target, secret, (folderKey) => {
    const input = { ...sealedInput(eremos, target, { folderKey }), repair };
    return eremos.run<"permissions">({ verb: "permissions", input });
  });
  return {
    access: [],
    advice: null,
    compared: true,
    entries: outcome.entries,
    repaired: outcome.repaired,
    changes: outcome.changes.slice(0, MOST_LISTED).map(({ path, was, is, refusal }) => ({
      path: path.map(displayPath).join("/"),
      was: wordsFor(was),
      is: wordsFor(is),
      refusal,
    })),
  };
}

function placeOf(eremos: Eremos, { path, id }: FolderRecord): Buffer {
  try {
    return whereIs(eremos, { path, id })?.realPath ?? decodePath(path);
  } catch (error) {
    // It can't be looked into: that is the very question.
    if (isEremosError(error)) return decodePath(path);
    throw error;
  }
}

function isOpen(eremos: Eremos, { path, id }: FolderRecord): boolean {
  return whereIs(eremos, { path, id })?.inspection.state === "open";
}

function viewOf({ path, kind, uid, mode }: AccessProblem): PermissionsView["access"][number] {
  return {
    path: displayPath(path),
    kind,
    reason:
      kind === "another-account"
        ? say("it-belongs-account-not-yours", { uid })
        : say("it-is-yours-and-its", { octal: octal(mode) }),
  };
}

/** What only an administrator can do, as a command to hand them. */
function adviceFor(place: Buffer, problems: readonly AccessProblem[]): string | null {
  if (!problems.some(({ kind }) => kind === "another-account")) return null;
  return `sudo chown -R ${process.geteuid?.() ?? 0}:${process.getegid?.() ?? 0} '${displayPath(place).replaceAll("'", "'\\''")}'`;
}

function octal(mode: number): string {
  return mode.toString(8).padStart(3, "0");
}

function wordsFor({ mode, uid, gid, hasList }: Ownership): string {
  return say("account-group-with-access-list", { octal: octal(mode), uid, gid, hasList });
}
