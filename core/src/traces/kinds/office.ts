import { pathMeant } from "../visited";
import { directoriesAt, listAt } from "../reading";
import { type Finding, entryOf, isOf } from "../trace";
import { AS_ELEMENTS, elementsIn } from "../entries";
import { unescaped } from "../xml-elements";
import { say } from "@eremos/words/core/traces";

/** The documents that an office program lists as its last. Source: its registry of modifications, "Histories". */
export function findInOffice(finding: Finding): void {
  const { disk, home, folder, found, trouble } = finding;
  for (const profile of directoriesAt(disk, entryOf(home.configHome, "libreoffice"))) {
    const list = entryOf(profile, "user", "registrymodifications.xcu");
    const bytes = listAt(finding, list);
    if (!bytes) continue;
    const elements = elementsIn(bytes);
    if (!elements) {
      trouble(list, say("is-no-list-that-can-be-read"));
      continue;
    }
    for (const { element, entry } of elements) {
      if (element.name !== "item") continue;
      // A document stands in two items: one of what it is, and one of its place among the last.
      const [what] = addressesIn(home, entry.bytes).filter((path) => isOf(folder, path));
      if (what)
        found({ kind: "office", where: list, what, gives: "name", isSure: true, spot: { ...AS_ELEMENTS, ...entry } });
    }
  }
}

function addressesIn(home: Finding["home"], item: Buffer): Buffer[] {
  return [...item.toString("utf8").matchAll(/[">']((?:file|davs?):\/\/[^"'<]*)/g)].flatMap(
    ([, address = ""]) => pathMeant(home, unescaped(address)) ?? [],
  );
}
