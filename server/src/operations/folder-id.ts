import { randomBytes, toBase64 } from "@eremos/core";

/** A new folder's id; never begins with a dash, so that it can stand on a command line. */
export function newFolderId(): string {
  for (;;) {
    const id = toBase64(randomBytes(16));
    if (!id.startsWith("-")) return id;
  }
}
