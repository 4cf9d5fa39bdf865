import type { Finding } from "../trace";

/** In the directories for what is not to last: files with the same contents as one of the folder, or its name. */
export function findTemporary({ inside, found }: Finding): void {
  for (const { path, its } of inside?.inTemporary() ?? [])
    found({ kind: "temporary", where: path, what: path, gives: "contents", isSure: false, spot: { as: "file", its } });
}
