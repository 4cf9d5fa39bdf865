import {
  type LockedFolder,
  directorySource,
  fromSystemError,
  isEncrypting,
  openLocked,
  openOwner,
  wipe,
} from "@eremos/core";
import type { BackSecret, PracticeView } from "../../contract";
import type { Eremos } from "../../eremos";
import { whereverIs } from "../../look/where-is";
import { throughGate } from "../../session/gate";
import { nameFolder } from "../../paths";
import { said, say } from "@eremos/words/server/entrance";

/** So much of a file is read to prove that contents come out. */
const SAMPLE_BYTES = 1024 * 1024;

/**
 * Proves today that the recovery code, or the keyholders' shares, opens every sealed folder within reach, as the
 * readers without Eremos would open it: header, keys, index, and a file's bytes, in memory, with nothing changed and
 * nothing written but the date. @throws EremosError `wrong-code` | `wrong-share` | `too-few-shares` | `too-many-tries`
 */
export async function practice(eremos: Eremos, secret: BackSecret): Promise<PracticeView> {
  const keys = eremos.requireKeys();
  const owner = eremos.requireOwner();
  const { opened } = await throughGate(eremos, secret.kind, () => openOwner(owner, secret));
  wipe(opened.rootKey);
  const at = Date.now();
  const folders: PracticeView["folders"][number][] = [];
  for (const listed of eremos.registry.list(keys).filter(isEncrypting)) {
    const { record, located } = whereverIs(eremos, listed);
    const { id, name, path } = nameFolder(record);
    const problem = located ? await whyNot(located.realPath, secret) : say("it-is-away-or-not");
    if (problem === null)
      eremos.ledger.known(keys, {
        ...record,
        ...(secret.kind === "code" ? { codeProvenAt: at } : { sharesProvenAt: at }),
      });
    folders.push({ id, name, path, problem });
  }
  const keyholders = eremos.documents.get(keys, "keyholders");
  if (secret.kind === "shares" && keyholders) eremos.documents.put(keys, "keyholders", { ...keyholders, provenAt: at });
  await eremos.ledger.happened("", "practised", { at, way: secret.kind });
  eremos.announce({ topic: "folders" });
  return { at, folders };
}

/** Null where it opens it and a file comes out. */
async function whyNot(realPath: Buffer, secret: BackSecret): Promise<string | null> {
  try {
    const locked = await openLocked(directorySource(realPath), secret);
    try {
      return await whyNoSample(locked);
    } finally {
      locked.close();
    }
  } catch (error) {
    return fromSystemError(error, said("trying-it-nothing-was-changed")).message;
  }
}

async function whyNoSample(locked: LockedFolder): Promise<string | null> {
  const [problem] = locked.problems;
  if (problem !== undefined) return problem;
  const sample = locked.entries.filter(({ data }) => data !== null).sort((a, b) => a.size - b.size)[0];
  if (!sample) return null;
  let read = 0;
  for await (const { length, bytes } of locked.read(sample)) {
    if (!bytes) return say("file-it-is-damaged-check");
    read += length;
    if (read >= SAMPLE_BYTES) return null;
  }
  return null;
}
