import {
  type PackageForm as EngineForm,
  EremosError,
  type HandedOver,
  type Password,
  displayPath,
  isEremosError,
  joinPath,
  newId,
  openWithPassword,
  wipe,
} from "@eremos/core";
import { PACKAGE_ENDINGS } from "../../calls/shapes/hand-over";
import type { HandedOverView, PackageForm } from "../../contract";
import { MOST_HANDED } from "../../documents";
import type { Eremos } from "../../eremos";
import type { StartedJob } from "../../jobs";
import { lockedPage } from "../../page";
import { encodePath, fullPath, nameOf } from "../../paths";
import { packagePageBytes, rescueFileBytes } from "../../rescue-files";
import { ownAccount } from "../../session/keys";
import { formatBytes } from "../../size-words";
import { packageStrength } from "../../strength";
import { inPlaces, placeToMake } from "./places";
import { type What, type WhatAsked, usualName, withWhat } from "./what-goes-in";
import { said, say } from "@eremos/words/server/handover";

export interface HandOverRequest extends WhatAsked {
  readonly form: PackageForm;
  /** Of a ZIP: names are hidden in another one. */
  readonly hidesNames: boolean;
  /** The package's. */
  readonly password: Password;
  /** Where it is to be. */
  readonly at: string;
  /** To whom it goes, and what the owner writes down about it. */
  readonly to: string;
  readonly note: string;
}

/**
 * Makes a package for somebody else, under a password of its own. Of a locked folder nothing is decrypted on the disk.
 * @throws EremosError `weak-password` | `path-taken` | `outside-places` | `nested` | `not-found`, before anything is made
 */
export async function handOver(
  eremos: Eremos,
  asked: HandOverRequest,
): Promise<StartedJob<"hand-over"> & { readonly path: string }> {
  const password = textOf(asked.password).normalize("NFC");
  await refuseGuessable(password, asked.form);
  await refuseMasterPassword(eremos, password);
  const form = engineForm(eremos, asked);
  return withWhat(eremos, asked, (what) => {
    const to = destination(eremos, asked, what);
    const job = eremos.jobs.start({
      folder: what.folder,
      verb: "hand-over",
      request: { verb: "hand-over", input: { to, password: Buffer.from(password), form, from: what.source } },
      before: () => undefined,
      after: async (made) => {
        remember(eremos, asked, what, { job: job.id, path: displayPath(to), made });
        await eremos.ledger.noticed(what.folder, "handed-over", { count: made.files });
        return sentenceOf(made, to, asked.form);
      },
      failed: async () => undefined,
    });
    return { ...job, path: displayPath(to) };
  });
}

function textOf(password: Password): string {
  return typeof password === "string" ? password : Buffer.from(password).toString("utf8");
}

function engineForm(eremos: Eremos, { form, hidesNames }: HandOverRequest): EngineForm {
  const { program } = eremos.settings;
  if (form === "zip") return { kind: "zip", hidesNames };
  if (form === "page") return { kind: "page", page: packagePageBytes(program) };
  return {
    kind: "folder",
    reader: rescueFileBytes(program, "rescue.html"),
    readerName: say("reader-name"),
    page: lockedPage("folder", false),
    account: ownAccount(),
  };
}

interface Made {
  readonly job: string;
  readonly path: string;
  readonly made: HandedOver;
}

/** Where nobody is signed in, nothing but that it happened is written down. */
function remember(eremos: Eremos, asked: HandOverRequest, what: What, { job, path, made }: Made): void {
  const { keys } = eremos;
  if (!keys) return;
  const entry: HandedOverView = {
    id: newId(),
    job,
    at: Date.now(),
    folder: what.folder,
    what: displayPath(what.path),
    lies: what.lies,
    form: asked.form,
    path,
    files: made.files,
    size: made.size,
    sha256: made.digest,
    to: asked.to.trim(),
    note: asked.note.trim(),
  };
  const known = eremos.documents.get(keys, "handed") ?? [];
  eremos.documents.put(keys, "handed", [entry, ...known].slice(0, MOST_HANDED));
  const its = asked.form === "folder" || what.folder === "" ? null : eremos.glance.fileMark(Buffer.from(path));
  if (!its) return;
  const file = { path: encodePath(Buffer.from(path)), dev: String(its.dev), ino: String(its.ino) };
  const exports = eremos.documents.get(keys, "exports") ?? [];
  const more = { ...file, folders: [what.folder], kind: "package" as const, at: entry.at };
  eremos.documents.put(keys, "exports", [...exports, more]);
}

function sentenceOf({ files, size, left }: HandedOver, to: Buffer, form: PackageForm): string {
  const [first] = left;
  return [
    say("package-is-made", { files, size: formatBytes(size), path: displayPath(to) }),
    say(`opens-as-${form}`),
    ...(first ? [say("stayed-out", { left: left.length, path: first.path, reason: first.reason })] : []),
  ].join(" ");
}

/** @throws EremosError `weak-password` */
async function refuseGuessable(password: string, form: PackageForm): Promise<void> {
  const { refusal } = await packageStrength(password, form);
  if (refusal !== null) throw new EremosError("weak-password", said("password-is-refused", { refusal }));
}

/** Whoever gets the package would have it. */
async function refuseMasterPassword(eremos: Eremos, password: string): Promise<void> {
  const owner = eremos.data.owner();
  if (!owner) return;
  try {
    const { rootKey } = await openWithPassword(owner, password);
    wipe(rootKey);
  } catch (error) {
    if (isEremosError(error) && error.code === "wrong-password") return;
    throw error;
  }
  throw new EremosError("weak-password", said("that-is-the-master-password"));
}

/** Where a package is to be. In a directory that is there it gets its usual name. */
function destination(eremos: Eremos, { at, from, form }: HandOverRequest, what: What): Buffer {
  const { glance, settings } = eremos;
  const named = inPlaces(eremos, fullPath(at, settings.home, from));
  const isThere = glance.directoryMark(named) !== null && !glance.inspect(named);
  const full = isThere ? joinPath(named, Buffer.from(`${usualName(what)}${PACKAGE_ENDINGS[form]}`)) : named;
  return placeToMake(eremos, full);
}

/** What a package is called where it was put. */
export function packageName({ path }: Pick<HandedOverView, "path">): string {
  return nameOf(Buffer.from(path));
}
