import * as fs from "node:fs";
import * as path from "node:path";
import {
  type Disk,
  type Looks,
  type ScanProgress,
  diskOf,
  failureOf,
  findHidden,
  giveWay,
  lookAtFolder,
  reviveBytes,
  scan,
} from "@eremos/core";
import { onEndSignals } from "../end-signals";
import { lookAsOthers } from "./onlook";
import { lookAtPlace } from "./place";
import type { FromLooker, Question, ToLooker } from "./protocol";
import { walkForDropped, walkForSlot } from "./walks";
import { said } from "@eremos/words/server/house";

/** The process that looks at disks for a session: slow ones, and ones that do not answer, hold up nobody else here. */
giveWay();
onEndSignals(() => undefined);
process.on("disconnect", () => process.exit());

let disk: Disk | null = null;
/** One question after another. */
let before = Promise.resolve();

process.on("message", (received: ToLooker) => {
  const message = reviveBytes(received);
  if (message.kind === "begin") disk = diskOf(message.identity);
  else before = before.then(() => answer(message.id, message.question));
});

async function answer(id: number, question: Question): Promise<void> {
  await tell({ kind: "begun", id });
  try {
    if (disk && question.kind === "place")
      await tell({ kind: "place", id, place: lookAtPlace(disk.looks, question.asked) });
    else if (disk && question.kind === "onlook")
      await tell({ kind: "onlooked", id, onlook: lookAsOthers(telling(disk.looks, id), question.asked) });
    else if (question.kind === "answers") waitForAnswer(question.path);
    else if (question.kind === "dropped")
      await tell({ kind: "dropped", id, found: await walkForDropped(question.asked, () => stillAt(id)) });
    else if (disk && question.kind === "slot")
      await tell({ kind: "slot", id, path: await walkForSlot(disk, question.asked, () => stillAt(id)) });
    else if (question.kind === "scan" || question.kind === "hidden") await search(id, question);
    else if (disk && question.kind === "folders")
      for (const folder of question.request.folders) {
        await tell({ kind: "at", id, folder: folder.id });
        await tell({ kind: "looked", id, looked: lookAtFolder(disk, folder, question.request.mounts) });
      }
    await tell({ kind: "done", id });
  } catch (error) {
    await tell({ kind: "failed", id, failure: failureOf(error, said("looking-nothing-was-touched")) });
  }
}

/** Whoever asked ends this process when nobody waits for it any more. */
async function search(id: number, { kind, places }: Extract<Question, { kind: "scan" | "hidden" }>): Promise<void> {
  const walk = {
    places,
    isStopped: () => false,
    onProgress: (progress: ScanProgress): void => void tell({ kind: "progress", id, progress }),
  };
  if (kind === "scan") {
    const end = await scan({ ...walk, onFound: (found) => void tell({ kind: "scanned", id, found }) });
    return tell({ kind: "end", id, end });
  }
  if (!disk) return;
  const end = await findHidden({
    ...walk,
    disk,
    onFound: (found) => void tell({ kind: "hidden", id, found }),
    onScript: (found) => void tell({ kind: "script", id, found }),
  });
  await tell({ kind: "end", id, end });
}

const STILL_MS = 500;
let toldAt = 0;

/** Now and then: whoever hears nothing for long takes the disk for one that does not answer. */
async function stillAt(id: number): Promise<void> {
  if (Date.now() - toldAt < STILL_MS) return;
  toldAt = Date.now();
  await tell({ kind: "still", id });
}

/** Looks of which each says first that work goes on: many of them are one answer. */
function telling(looks: Looks, id: number): Looks {
  const first = <A extends readonly unknown[], R>(look: (...asked: A) => R): ((...asked: A) => R) => {
    return (...asked) => {
      void stillAt(id);
      return look(...asked);
    };
  };
  const { entry, listing, isThere, read } = looks;
  return { entry: first(entry), listing: first(listing), isThere: first(isThere), read: first(read) };
}

/** Whatever the answer is. Where there is nothing, what it would lie on is asked. */
function waitForAnswer(asked: string): void {
  for (let at = path.resolve(asked); ; at = path.dirname(at)) {
    try {
      fs.statfsSync(at);
      return;
    } catch {
      if (at === path.dirname(at)) return;
    }
  }
}

/** When it is on its way: what is said before a look that does not end has been heard. */
function tell(message: FromLooker): Promise<void> {
  return new Promise((resolve) => {
    if (process.connected) process.send?.(message, undefined, undefined, () => resolve());
    else resolve();
  });
}
