import { fileURLToPath } from "node:url";
import { LEAST_COST, ProvenOwner, createOwner, newRecoveryCode, wipe } from "@eremos/core";
import { Eremos } from "../src/eremos";
import { readSettings } from "../src/settings";

export const PROGRAM = fileURLToPath(new URL("../..", import.meta.url)).replace(/\/$/, "");

/**
 * A master password in a new data directory, of which a try takes the least work that there may be: tests sign in
 * hundreds of times. Returns the recovery code.
 */
export async function chooseWithLeastEffort(data: string, places: string, password: string): Promise<string> {
  const eremos = Eremos.open(readSettings({ EREMOS_DATA: data, EREMOS_PLACES: places }, PROGRAM));
  const code = newRecoveryCode();
  const { envelope, rootKey } = await createOwner(password, code, LEAST_COST, [eremos.data.computer]);
  eremos.data.writeOwner(
    await ProvenOwner.prove(envelope, rootKey, [
      { kind: "password", password },
      { kind: "code", code },
    ]),
    null,
  );
  eremos.preferences.set({ effort: "light" });
  wipe(rootKey);
  eremos.close();
  return code;
}
