import {
  EremosError,
  type FolderSecret,
  type HandOverInput,
  displayPath,
  isEncrypting,
  isEremosError,
  splitPath,
} from "@eremos/core";
import type { GoesInView, Lies } from "../../contract";
import type { Eremos } from "../../eremos";
import { ownAccount } from "../../session/keys";
import { decodePath, fullPath, nameOf } from "../../paths";
import { downloadsOf } from "../folders/traces";
import { findUnvisited } from "../folders/visit";
import type { Target } from "../locking/find-target";
import { withFolderKey } from "../locking/folder-password";
import { sealedInput } from "../locking/sealed-input";
import { pathOf } from "../../visit/hrefs";
import { inPlaces } from "./places";
import { said, say } from "@eremos/words/server/handover";

export interface WhatAsked {
  /** A protected folder, by its path or id, or anything readable. */
  readonly what: string;
  /** Whether it is readable, and no protected folder is looked for: nobody need be signed in. */
  readonly isPlain: boolean;
  /** A folder's own, where it has one. */
  readonly secret: FolderSecret | null;
  readonly from: string;
  /** Of a locked folder these entries alone; null: everything. */
  readonly hrefs: readonly string[] | null;
}

export interface What {
  /** Empty: none that is protected. */
  readonly folder: string;
  readonly path: Buffer;
  readonly lies: Lies;
  /** What the engine reads. */
  readonly source: HandOverInput["from"];
}

const NO_FOLDER = "";
const MOST_NAMED = 20;

/**
 * What is to be handed over, for as long as its key is needed. @throws EremosError `outside-places` | `not-found` |
 * `needs-folder-password`, and as opening it
 */
export async function withWhat<T>(eremos: Eremos, asked: WhatAsked, use: (what: What) => T | Promise<T>): Promise<T> {
  const target = asked.isPlain ? null : await protectedAt(eremos, asked);
  if (!target) {
    const path = inPlaces(eremos, fullPath(asked.what, eremos.settings.home, asked.from));
    const source = { kind: "paths", paths: [path], isOpen: false } as const;
    return use({ folder: NO_FOLDER, path, lies: "readable", source });
  }
  const { record, located } = target;
  const shared = { folder: record.id, path: decodePath(record.path) };
  const isOpen = located.inspection.state === "open";
  if (isOpen || !isEncrypting(located.inspection))
    return use({
      ...shared,
      lies: isOpen ? "open" : "locked",
      source: { kind: "paths", paths: [located.realPath], isOpen },
    });
  return withFolderKey(eremos, target, asked.secret, (folderKey) =>
    use({
      ...shared,
      lies: "locked",
      source: {
        kind: "sealed",
        name: splitPath(shared.path).name,
        only: entriesOf(asked, target),
        visit: {
          ...sealedInput(eremos, target, { folderKey }),
          account: ownAccount(),
          keepEarlier: eremos.preferences.get().keepEarlier,
        },
      },
    }),
  );
}

/** Of a single file itself alone, not the folder that it is while it is locked. */
function entriesOf({ hrefs }: WhatAsked, { record }: Target): readonly (readonly Buffer[])[] | null {
  if (hrefs) return hrefs.map(pathInside);
  return record.kind === "file" ? [[splitPath(decodePath(record.path)).name]] : null;
}

function pathInside(href: string): readonly Buffer[] {
  const path = pathOf(href);
  if (!path || path.length === 0) throw new EremosError("usage", said("that-is-no-path-inside"));
  return path;
}

/** It is not visited any more. */
async function protectedAt(eremos: Eremos, { what, from }: WhatAsked): Promise<Target | null> {
  try {
    return await findUnvisited(eremos, what, from);
  } catch (error) {
    if (isEremosError(error) && error.code === "not-protected") return null;
    throw error;
  }
}

/** What would go into a package, and where that could be. @throws EremosError as {@link withWhat} */
export async function planHandOver(eremos: Eremos, asked: WhatAsked): Promise<GoesInView> {
  return withWhat(eremos, asked, async ({ path, lies, source }) => {
    const { files, bytes, left } = await eremos.run<"what-goes-in">({ verb: "what-goes-in", input: { from: source } });
    const [downloads = eremos.settings.home] = downloadsOf(eremos.settings);
    return {
      name: nameOf(path),
      path: displayPath(path),
      lies,
      files,
      bytes,
      left: left.slice(0, MOST_NAMED),
      leftCount: left.length,
      suggested: `${downloads}/${usualName({ path, lies })}`,
    };
  });
}

/** What a package is called where nobody gave it a name. What is locked is not told by it. */
export function usualName({ path, lies }: Pick<What, "path" | "lies">): string {
  const name = lies === "readable" ? nameOf(path).replace(/\.[^.]+$/, "") : say("package-name");
  return `${name} ${new Date().toLocaleDateString("sv-SE")}`;
}
