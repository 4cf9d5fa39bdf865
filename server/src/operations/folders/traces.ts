import * as os from "node:os";
import { displayPath } from "@eremos/core";
import type { TracesView } from "../../contract";
import type { Eremos } from "../../eremos";
import { mountsIn } from "../../look/mounts";
import { decodePath } from "../../paths";
import { findRecord } from "../locking/find-target";

/**
 * What lies outside a protected folder on this account's desktop and tells of it. Reads only, and wherever the folder
 * itself is. @throws EremosError `not-protected`
 */
export async function tracesOf(eremos: Eremos, pathOrId: string, from: string): Promise<TracesView> {
  const record = findRecord(eremos, pathOrId, from);
  const { home, dataHome, configHome, cacheHome, stateHome } = eremos.settings;
  const { traces, troubles } = await eremos.run<"traces">({
    verb: "traces",
    input: {
      folder: decodePath(record.path),
      home: {
        home: Buffer.from(home),
        dataHome: Buffer.from(dataHome),
        configHome: Buffer.from(configHome),
        cacheHome: Buffer.from(cacheHome),
        stateHome: Buffer.from(stateHome),
        drives: mountsIn(eremos.mounts).map((mount) => Buffer.from(mount)),
        uid: os.userInfo().uid,
      },
    },
  });
  return {
    traces: traces.map(({ where, what, ...trace }) => ({
      ...trace,
      where: displayPath(where),
      what: displayPath(what),
      clearable: false,
    })),
    troubles: troubles.map(({ kind, where, reason }) => ({ kind, where: displayPath(where), reason })),
  };
}
