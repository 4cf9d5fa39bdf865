import { fileURLToPath } from "node:url";
import { Eremos, causedBy, listFolders, readSettings, signIn } from "@eremos/server";
import { longAgo, pastOf } from "./history";

/** The project's root: two levels above this file, bundled or not. */
const PROGRAM = fileURLToPath(new URL("../..", import.meta.url)).replace(/\/$/, "");

/**
 * What would have happened at the workshop in the last four weeks is in the history, in place of how it was made;
 * `before`: so many entries of long ago besides.
 */
export async function rememberPast(password: string, environment: NodeJS.ProcessEnv, before = 0): Promise<void> {
  const eremos = Eremos.open(readSettings(environment, PROGRAM));
  try {
    await causedBy({ from: "command-line", why: null }, () => signIn(eremos, password));
    const keys = eremos.requireKeys();
    const generations = new Map(eremos.registry.list(keys).map(({ id, generation }) => [id, generation]));
    const folders = listFolders(eremos).map(({ openedAt, state, ...folder }) => ({
      ...folder,
      generation: generations.get(folder.id) ?? 0,
      openSince: state === "open" ? openedAt : null,
    }));
    const account = eremos.accountOf(process.getuid?.() ?? 0) ?? { uid: 0, name: "" };
    eremos.ledger.forget(keys, null);
    eremos.ledger.recall(keys, [...longAgo(before), ...pastOf(folders, Date.now(), account)]);
  } finally {
    eremos.close();
  }
}
