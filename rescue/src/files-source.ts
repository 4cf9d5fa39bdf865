import type { RescueSource } from "@eremos/core/rescue";

/** A folder that somebody chose in a browser: each file with its path from there, names joined by slashes. */
export type ChosenFiles = ReadonlyMap<string, File>;

/**
 * Where in what was chosen there are locked folders: paths that end in a slash, or nothing for the chosen folder
 * itself.
 */
export function lockedIn(files: ChosenFiles): readonly string[] {
  const found = new Set<string>();
  for (const path of files.keys()) {
    const match = /^(.*\/)?\.eremos\/(?:header(?:\.copy)?\.json|guard\.json|state\.json)$/.exec(path);
    if (match) found.add(match[1] ?? "");
  }
  return [...found].sort();
}

export function filesSource(files: ChosenFiles, folder: string): RescueSource {
  const below = new Map<string, string[]>();
  for (const path of files.keys()) {
    if (!path.startsWith(folder)) continue;
    const names = path.slice(folder.length).split("/");
    for (let depth = 1; depth <= names.length; depth++) {
      const above = names.slice(0, depth - 1).join("/");
      const list = below.get(above) ?? [];
      const name = names[depth - 1] ?? "";
      if (!list.includes(name)) list.push(name);
      below.set(above, list);
    }
  }
  return {
    list: async (directory) => below.get(directory) ?? [],
    size: async (file) => files.get(folder + file)?.size ?? null,
    read: async (file, offset, length) => {
      const chosen = files.get(folder + file);
      try {
        return chosen ? Buffer.from(await chosen.slice(offset, offset + length).arrayBuffer()) : Buffer.alloc(0);
      } catch {
        return Buffer.alloc(0);
      }
    },
    decrypt,
  };
}

const keys = new WeakMap<Uint8Array, Promise<CryptoKey>>();

/** The browser's own AES-256-GCM: many times faster than one in JavaScript. */
export async function decrypt(key: Uint8Array, nonce: Uint8Array, sealed: Uint8Array): Promise<Buffer | null> {
  const imported = keys.get(key) ?? crypto.subtle.importKey("raw", Uint8Array.from(key), "AES-GCM", false, ["decrypt"]);
  keys.set(key, imported);
  try {
    return Buffer.from(
      await crypto.subtle.decrypt(
        { name: "AES-GCM", iv: Uint8Array.from(nonce) },
        await imported,
        Uint8Array.from(sealed),
      ),
    );
  } catch {
    return null;
  }
}

/** From a field for choosing a folder. Whoever chose `.eremos` itself chose what matters. */
export function filesOf(list: FileList): ChosenFiles {
  return new Map(
    [...list].map((file) => {
      const [first = "", ...rest] = file.webkitRelativePath.split("/");
      return [first === ".eremos" ? file.webkitRelativePath : rest.join("/"), file];
    }),
  );
}

/** From a folder that was dropped. */
export async function filesDropped(items: DataTransferItemList): Promise<ChosenFiles> {
  const files = new Map<string, File>();
  const walk = async (entry: FileSystemEntry, path: string): Promise<void> => {
    if (entry.isFile)
      files.set(
        path,
        await new Promise<File>((resolve, reject) => (entry as FileSystemFileEntry).file(resolve, reject)),
      );
    else
      for (const inner of await entriesOf(entry as FileSystemDirectoryEntry))
        await walk(inner, path === "" ? inner.name : `${path}/${inner.name}`);
  };
  for (const entry of [...items].map((item) => item.webkitGetAsEntry()).filter((one) => one !== null))
    await walk(entry, entry.name === ".eremos" ? entry.name : "");
  return files;
}

/** A reader gives them in parts, and an empty one at the end. */
async function entriesOf(directory: FileSystemDirectoryEntry): Promise<FileSystemEntry[]> {
  const reader = directory.createReader();
  const all: FileSystemEntry[] = [];
  for (;;) {
    const part = await new Promise<FileSystemEntry[]>((resolve, reject) => reader.readEntries(resolve, reject));
    if (part.length === 0) return all;
    all.push(...part);
  }
}
