import { type LockedFolder, directorySource, fromSystemError, openLocked, openWithCode, wipe } from "@eremos/core";
import type { PracticeView } from "../contract";
import type { Eremos } from "../eremos";
import { throughGate } from "../session/gate";
import { locateRecord } from "./follow-drives";
import { nameFolder } from "./paths";

/** So much of a file is read to prove that contents come out. */
const SAMPLE_BYTES = 1024 * 1024;

/**
 * Proves today that the recovery code opens every sealed folder within reach, as the readers without Eremos would open it: header, keys, index,
 * and a file's bytes, in memory, with nothing changed and nothing written but the date. @throws EremosError `wrong-code` | `too-many-tries`
 */
export async function practice(eremos: Eremos, code: string): Promise<PracticeView> {
  const keys = eremos.requireKeys();
  const owner = eremos.requireOwner();
  const { opened } = await throughGate(eremos, () => openWithCode(owner, code));
  wipe(opened.rootKey);
  const at = Date.now();
  const folders: PracticeView["folders"][number][] = [];
  for (const listed of eremos.registry.list(keys).filter(({ guard }) => guard === "sealed")) {
    const { record, located } = locateRecord(eremos, listed);
    const { id, name, path } = nameFolder(record);
    const problem = located ? await whyNot(located.realPath, code) : "It is away, or not at its place, so it could not be tried.";
    if (problem === null) eremos.registry.put(keys, { ...record, codeProvenAt: at }, null);
    folders.push({ id, name, path, problem });
  }
  await eremos.registry.record(keys, owner, { at, folder: "", kind: "practised", signedIn: true });
  eremos.announce({ topic: "folders" });
  return { at, folders };
}

/** Null where the code opens it and a file comes out. */
async function whyNot(realPath: Buffer, code: string): Promise<string | null> {
  try {
    const locked = await openLocked(directorySource(realPath), { kind: "code", code });
    try {
      return await whyNoSample(locked);
    } finally {
      locked.close();
    }
  } catch (error) {
    return fromSystemError(error, "trying it; nothing was changed").message;
  }
}

async function whyNoSample(locked: LockedFolder): Promise<string | null> {
  const [problem] = locked.problems;
  if (problem !== undefined) return problem;
  const sample = locked.entries.filter(({ data }) => data !== null).sort((a, b) => a.size - b.size)[0];
  if (!sample) return null;
  let read = 0;
  for await (const { length, bytes } of locked.read(sample)) {
    if (!bytes) return "A file of it is damaged: check it on its page.";
    read += length;
    if (read >= SAMPLE_BYTES) return null;
  }
  return null;
}

