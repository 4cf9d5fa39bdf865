import * as fs from "node:fs";
import * as path from "node:path";
import { afterEach, beforeAll, beforeEach } from "vitest";
import { type Person, newDirectory, newPerson, removeDirectory } from "./world";

export interface Place {
  /** The same in all tests of a file. */
  readonly person: Person;
  readonly base: string;
  /** An empty folder below it. */
  readonly folder: string;
}

/**
 * A directory of its own for each test of a file, with an empty folder in it; `on` is told of it. Gone after the test.
 */
export function usePlace(on: (place: Place) => void, directory: () => string = newDirectory): void {
  let person: Person;
  let base: string;
  beforeAll(async () => {
    person = await newPerson();
  });
  beforeEach(() => {
    base = directory();
    const folder = path.join(base, "Payroll");
    fs.mkdirSync(folder);
    on({ person, base, folder });
  });
  afterEach(() => removeDirectory(base));
}
