import { pathInAddress } from "../engine/ground";
import { directoriesAt, listAt } from "./reading";
import { type Finding, entryOf, isOf } from "./trace";
import { xmlElements } from "./xml-elements";
import { say } from "@eremos/words/core/traces";

/** The documents that an office program lists as its last. Source: its registry of modifications, "Histories". */
export function findInOffice({ disk, home, folder, found, trouble }: Finding): void {
  for (const profile of directoriesAt(disk, entryOf(home.configHome, "libreoffice"))) {
    const list = entryOf(profile, "user", "registrymodifications.xcu");
    const bytes = listAt(disk, list);
    if (!bytes) continue;
    const elements = xmlElements(bytes.toString("latin1"));
    if (!elements) {
      trouble(list, say("is-no-list-that-can-be-read"));
      continue;
    }
    for (const { name, attributes } of elements) {
      const address = name === "node" ? Buffer.from(attributes.get("oor:name") ?? "", "latin1").toString("utf8") : "";
      const path = pathInAddress(address);
      if (path && isOf(folder, path)) found({ kind: "office", where: list, what: path, gives: "name" });
    }
  }
}
