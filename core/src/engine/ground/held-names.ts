import { heldName, heldNames, nameKey } from "../../format/held-name";
import type { DirEntry, TreeReader } from "../../format/tree";
import type { Dir, Disk, Holding } from "../../platform/port";
import { type HeldFolder, NAMES, OWN_DIR_NAME } from "./own-dir";

/** Calls that take an entry by its directory and name. */
const ONE_NAME = new Set<PropertyKey>([
  "openDir",
  "enterDir",
  "stat",
  "find",
  "openRead",
  "create",
  "makeDir",
  "makeLink",
  "readLink",
  "unlink",
  "removeDir",
  "setMode",
  "setLinkOwner",
  "setLinkTimes",
  "linkXattrs",
  "setLinkXattr",
  "readable",
] satisfies (keyof Disk)[]);
const TWO_NAMES = new Set<PropertyKey>(["makeHardLink", "rename", "renameExclusive"] satisfies (keyof Disk)[]);

/** Whether names may have to be held in another form there. */
export function holdsNames({ names, tellsCase }: Holding): boolean {
  return names && tellsCase;
}

/**
 * A disk that holds every name of a tree in the contents of a folder, whatever the real one can hold: names there are
 * the true ones for whoever asks this one. Eremos' own directory and what lies around the folder are left as they are.
 */
export function withHeldNames(
  real: Disk,
  { dir: top, ownDir }: Pick<HeldFolder, "dir" | "ownDir">,
  tree: TreeReader,
): Disk {
  const forms = heldNames(namesIn(tree, tree.root), [OWN_DIR_NAME]);
  const trueNames = new Map([...forms].map(([key, form]) => [nameKey(form), Buffer.from(key, "latin1")]));
  const contents = new WeakSet<Dir>([top]);
  const onDisk = (dir: Dir, name: Buffer): Buffer =>
    !contents.has(dir) || name.equals(OWN_DIR_NAME) ? name : (forms.get(nameKey(name)) ?? heldName(name));
  const list = (dir: Dir): Buffer[] =>
    contents.has(dir) ? real.list(dir).map((name) => trueNames.get(nameKey(name)) ?? name) : real.list(dir);
  const openDir = (dir: Dir, name: Buffer): Dir => {
    const opened = real.openDir(dir, onDisk(dir, name));
    if (dir === ownDir ? name.equals(NAMES.staging) : contents.has(dir) && !name.equals(OWN_DIR_NAME))
      contents.add(opened);
    return opened;
  };
  return new Proxy(real, {
    get(target, property: keyof Disk) {
      if (property === "list") return list;
      if (property === "openDir") return openDir;
      const method: unknown = target[property];
      if (typeof method !== "function") return method;
      return (...args: unknown[]): unknown => {
        if (ONE_NAME.has(property) || TWO_NAMES.has(property)) args[1] = onDisk(args[0] as Dir, args[1] as Buffer);
        if (TWO_NAMES.has(property)) args[3] = onDisk(args[2] as Dir, args[3] as Buffer);
        return Reflect.apply(method, target, args);
      };
    },
  });
}

/** Whether some of a tree's names have another form there. */
export function hasOtherForms(tree: TreeReader): boolean {
  return heldNames(namesIn(tree, tree.root), [OWN_DIR_NAME]).size > 0;
}

function* namesIn(tree: TreeReader, at: DirEntry): Generator<Buffer> {
  for (const entry of tree.list(at).entries) {
    yield entry.name;
    if (entry.kind === "dir") yield* namesIn(tree, entry);
  }
}
