import { displayPath } from "@eremos/core";
import type { InterruptionView } from "../../contract";
import type { Eremos } from "../../eremos";
import { decodePath, nameOf } from "../../paths";

/** Work that was cut off and put right by what is on disk, until its owner has said what is to become of it. */
export function interruptions(eremos: Eremos): readonly InterruptionView[] {
  return (eremos.documents.get(eremos.requireKeys(), "interruptions") ?? []).map(({ path: encoded, ...one }) => {
    const path = decodePath(encoded);
    return { ...one, name: nameOf(path), path: displayPath(path) };
  });
}

export function forgetInterruption(eremos: Eremos, folder: string): void {
  const keys = eremos.requireKeys();
  eremos.documents.put(
    keys,
    "interruptions",
    (eremos.documents.get(keys, "interruptions") ?? []).filter((one) => one.folder !== folder),
  );
  eremos.announce({ topic: "folders" });
}
