import * as fs from "node:fs";
import { expect } from "vitest";
import { type DropSlot, ownDirPlace } from "../../src/engine/slot/drop-in";
import type { SealedInput } from "../../src/engine/contents";
import { Visit } from "../../src/engine/visiting/visit";
import type { DirNode } from "../../src/engine/visiting/visit-tree";
import { linuxDisk } from "../../src/platform/linux/linux-disk";
import { type Person, lock } from "./world";

/** What tests of visits do in them, and how they look at what is there. */
export const FOLDER = Buffer.alloc(16, 3).toString("hex");
export const account = { uid: process.getuid?.() ?? 0, gid: process.getgid?.() ?? 0 };
export const name = (text: string): Buffer => Buffer.from(text);

/** What opens a sealed folder for its owner. */
export function inputOf(person: Person, folder: string): SealedInput {
  return { path: Buffer.from(folder), access: person.access, keptHeader: null, expected: null, accept: [] };
}

/** Looks into a locked folder as its owner does. */
export function visitOf(person: Person, folder: string): Promise<Visit> {
  return Visit.open(linuxDisk, { ...inputOf(person, folder), account: { uid: 0, gid: 0 } });
}

/** Locks a folder by its computer, and gives the slot by which files are put into it. */
export async function lockedWithSlot(person: Person, folder: string, id: string): Promise<DropSlot> {
  const { publicKey } = await lock(folder, person.device, { folder: id });
  const path = Buffer.from(folder);
  return { path, folder: id, publicKey, place: ownDirPlace(linuxDisk, path), device: person.device.device };
}

export function dirAt(of: Visit, ...names: readonly string[]): DirNode {
  const node = of.find(names.map(name));
  if (node?.kind !== "dir") throw new Error(`${names.join("/")} is no directory`);
  return node;
}

export function put(
  of: Visit,
  parents: readonly string[],
  file: string,
  content: Buffer,
  length: number | null = content.length,
): void {
  const upload = of.write(parents.map(name), name(file), length);
  try {
    for (let at = 0; at < content.length; at += 300_000) upload.append(content.subarray(at, at + 300_000));
    of.add(dirAt(of, ...parents), upload.finish());
  } catch (error) {
    upload.abort();
    throw error;
  }
}

export function get(of: Visit, ...names: readonly string[]): Buffer {
  const node = of.find(names.map(name));
  if (node?.kind !== "file") throw new Error(`${names.join("/")} is no file`);
  const bytes = Buffer.alloc(node.size);
  expect(of.read(node, 0, bytes)).toBe(node.size);
  return bytes;
}

/** Names, kinds and contents, as a visit shows them. */
export function shown(of: Visit): string[] {
  const lines: string[] = [];
  const walk = (dir: DirNode, at: readonly string[]): void => {
    for (const node of of.list(dir)) {
      const here = [...at, node.name.toString("latin1")];
      lines.push(`${here.join("/")} ${node.kind} ${node.kind === "file" ? contentOf(of, node) : ""}`);
      if (node.kind === "dir") walk(node, here);
    }
  };
  walk(of.root, []);
  return lines.sort();
}

function contentOf(of: Visit, file: Parameters<Visit["read"]>[0]): string {
  const bytes = Buffer.alloc(file.size);
  of.read(file, 0, bytes);
  return bytes.toString("latin1");
}

/** The same of a real directory. */
export function onDisk(directory: string): string[] {
  const lines: string[] = [];
  const walk = (at: Buffer, shownAt: string): void => {
    for (const entry of fs.readdirSync(at, { encoding: "buffer" })) {
      if (entry.toString() === ".eremos") continue;
      const here = Buffer.concat([at, Buffer.from("/"), entry]);
      const stat = fs.lstatSync(here);
      const kind = stat.isDirectory() ? "dir" : stat.isFile() ? "file" : "link";
      const line = `${shownAt}${entry.toString("latin1")}`;
      lines.push(`${line} ${kind} ${kind === "file" ? fs.readFileSync(here, "latin1") : ""}`);
      if (kind === "dir") walk(here, `${line}/`);
    }
  };
  walk(Buffer.from(directory), "");
  return lines.sort();
}
