import * as fs from "node:fs";
import * as path from "node:path";
import { HELD_NAME, OWN_DIR_NAME } from "@eremos/core";
import type { Dropped, DroppedFound } from "../../contract";
import type { Eremos } from "../../eremos";

const LONGEST_MS = 20_000;
const OURS: readonly string[] = [OWN_DIR_NAME.toString(), HELD_NAME.toString()];

/**
 * Where something lies that was dropped on the page: a browser tells its name and what is in it, and not its path.
 * Everything of that name in the places is compared; links are not followed. `complete`: the whole of the places was
 * looked through in the time there is.
 */
export async function findDropped(eremos: Eremos, dropped: Dropped): Promise<DroppedFound> {
  eremos.requireKeys();
  const until = Date.now() + LONGEST_MS;
  const paths: string[] = [];
  const waiting = [...eremos.places];
  for (let place = waiting.shift(); place !== undefined; place = waiting.shift()) {
    if (Date.now() > until) return { paths, complete: false };
    for (const entry of await entriesOf(place)) {
      const at = path.join(place, entry.name);
      if (entry.name === dropped.name && (await isIt(at, entry, dropped))) paths.push(at);
      if (entry.isDirectory() && !OURS.includes(entry.name)) waiting.push(at);
    }
  }
  return { paths, complete: true };
}

async function entriesOf(directory: string): Promise<fs.Dirent[]> {
  return fs.promises.readdir(directory, { withFileTypes: true }).catch(() => []);
}

/** The directories in one, without what Eremos keeps; links are none. */
export async function directoriesIn(directory: string): Promise<string[]> {
  return (await entriesOf(directory))
    .filter((entry) => entry.isDirectory() && !OURS.includes(entry.name))
    .map((entry) => path.join(directory, entry.name));
}

async function isIt(at: string, entry: fs.Dirent, dropped: Dropped): Promise<boolean> {
  if (dropped.type === "file") return entry.isFile() && (await sizeOf(at)) === dropped.size;
  if (!entry.isDirectory()) return false;
  const inside = new Map((await entriesOf(at)).map((one) => [one.name, one]));
  if (
    dropped.complete &&
    [...inside.values()].filter((one) => one.isDirectory() || one.isFile()).length !== dropped.entries.length
  )
    return false;
  for (const wanted of dropped.entries) {
    const found = inside.get(wanted.name);
    if (!found || found.isDirectory() !== (wanted.type === "dir")) return false;
    if (wanted.size !== null && (await sizeOf(path.join(at, wanted.name))) !== wanted.size) return false;
  }
  return true;
}

async function sizeOf(file: string): Promise<number | null> {
  return fs.promises.lstat(file).then(
    (stat) => stat.size,
    () => null,
  );
}
