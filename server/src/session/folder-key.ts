import { type Disk, type FolderSecret, openFolderKey, openFolderKeyBefore } from "@eremos/core";
import { throughGate } from "./gate";

type Eremos = Parameters<typeof throughGate>[0] & { readonly disk: Disk };

/**
 * The key of a folder that has a password of its own, for the caller to wipe. It is opened where the other keys are, and
 * never copied from one thread to another. @throws EremosError as the gate, and `wrong-password` | `wrong-code` |
 * `not-protected` | `damaged` | `costly`
 */
export async function folderKeyBy(
  eremos: Eremos,
  folder: string,
  input: Parameters<typeof openFolderKey>[1],
  secret: FolderSecret,
  lockedUnder: "these-keys" | "keys-before" = "these-keys",
): Promise<Buffer> {
  const open = lockedUnder === "these-keys" ? openFolderKey : openFolderKeyBefore;
  return (await throughGate(eremos, `folder/${folder}`, () => open(eremos.disk, input, secret))).opened;
}
