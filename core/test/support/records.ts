import * as fs from "node:fs";
import * as path from "node:path";
import { type Generation, generationNames, readGeneration, segmentsOf } from "../../src/format/generation";
import { type Head, digestOf, headFrom, readHeader, writeHeader } from "../../src/format/header";
import { writeSlot } from "../../src/format/slot";
import { stateWriterOf } from "../../src/format/state";

/** A folder's records as they lie on the disk. */
function inOwnDir(folder: string, ...names: readonly string[]): string {
  return path.join(folder, ".eremos", ...names);
}

export function twin(name: string): string {
  return name.replace(/\.json$/, ".twin.json");
}

/** A record and its twin, by their paths in Eremos' directory. */
export function both(name: string): readonly [string, string] {
  return [name, twin(name)];
}

/** The generations' records without their twins, the largest number first, by their paths in Eremos' directory. */
export function generationFiles(folder: string): string[] {
  return generationNames(fs.readdirSync(inOwnDir(folder, "generations"))).map((name) => `generations/${name}`);
}

export function generationAt(folder: string, file: string): Generation {
  return readGeneration(fs.readFileSync(inOwnDir(folder, file)));
}

/** The names of a generation's index objects. */
export function indexesOf(generation: Generation): string[] {
  return segmentsOf(generation).map(({ object }) => object);
}

/** By one of its two copies. */
export function headAt(folder: string, name = "header.json"): Head {
  return headFrom(readHeader(fs.readFileSync(inOwnDir(folder, name))), (digest, kind) => {
    const file = inOwnDir(folder, kind, `${digest}.json`);
    return fs.existsSync(file) ? [fs.readFileSync(file)] : [];
  });
}

/** Puts a header and its slots into a folder as whoever can write there does. */
export function plantHead(folder: string, { header, slots }: Head): void {
  for (const name of both("header.json")) fs.writeFileSync(inOwnDir(folder, name), writeHeader(header));
  for (const slot of slots)
    fs.writeFileSync(inOwnDir(folder, "slots", `${digestOf(writeSlot(slot))}.json`), writeSlot(slot));
}

/** The state record, by its path in Eremos' directory: of the computer that the tests run on, the only one. */
export function stateFile(folder: string): string {
  const [name] = fs
    .readdirSync(inOwnDir(folder))
    .filter((one) => stateWriterOf(one) !== null && !one.includes(".twin."));
  if (!name) throw new Error("there is no state record");
  return name;
}
