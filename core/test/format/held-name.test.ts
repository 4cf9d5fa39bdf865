import { randomBytes } from "node:crypto";
import * as fs from "node:fs";
import * as path from "node:path";
import { describe, expect, it } from "vitest";
import { heldName, heldNames, nameKey } from "../../src/format/held-name";
import { VECTORS } from "../support/vectors";

/** As FORMAT.md §5.6 says, and nothing else. */
function trueName(held: Buffer): Buffer {
  const text = held.toString("latin1").replace(/%~\d+(?=(?:\.[^.]*)?$)/, "");
  return Buffer.from(
    text.replace(/%([0-9a-f]{2})/gi, (_all, digits: string) => String.fromCharCode(Number.parseInt(digits, 16))),
    "latin1",
  );
}

const held = (name: string): string => heldName(Buffer.from(name)).toString();

describe("names on a disk that can't hold all", () => {
  it.each([
    ["letter.txt", "letter.txt"],
    ["50 %.txt", "50 %.txt"],
    ["100%", "100%"],
    ["Árvíz 名前.txt", "Árvíz 名前.txt"],
    ["what: now?", "what%3a now%3f"],
    ["a\\b|c", "a%5cb%7cc"],
    ["tab\there", "tab%09here"],
    ["ends.", "ends%2e"],
    ["ends ", "ends%20"],
    ["...", "..%2e"],
    ["con", "%63on"],
    ["NUL.tar.gz", "%4eUL.tar.gz"],
    ["lpt1 .txt", "%6cpt1 .txt"],
    ["console", "console"],
    ["a%3ab", "a%253ab"],
    ["a%~2", "a%25~2"],
    ["a%", "a%"],
  ])("%j is held as %j", (name, form) => {
    expect(held(name)).toBe(form);
    expect(trueName(Buffer.from(form)).toString()).toBe(name);
  });

  it("the published vectors hold", () => {
    const { heldNames: pairs } = JSON.parse(fs.readFileSync(path.join(VECTORS, "records.json"), "utf8")) as {
      heldNames: readonly (readonly [string, string])[];
    };
    const names = pairs.map(([hex]) => Buffer.from(hex, "hex"));
    const forms = heldNames(names, [Buffer.from(".eremos")]);
    expect(names.map((name) => (forms.get(nameKey(name)) ?? name).toString())).toEqual(pairs.map(([, form]) => form));
    expect(pairs.map(([, form]) => trueName(Buffer.from(form)))).toEqual(names);
  });

  it("a name of any bytes is read back from its form, which no such disk refuses", () => {
    for (let round = 0; round < 20_000; round++) {
      const alphabet = round % 2 === 0 ? null : Buffer.from('aA.% ~2:?cConN"\\\u00e9');
      const name = Buffer.from(
        [...randomBytes(1 + (round % 12))]
          .map((byte) => (alphabet ? (alphabet[byte % alphabet.length] ?? 0) : byte))
          .filter((byte) => byte !== 0 && byte !== 0x2f),
      );
      if (name.length === 0) continue;
      const form = heldName(name);
      expect(trueName(form)).toEqual(name);
      const text = form.toString();
      expect(Buffer.from(text)).toEqual(form);
      expect(text).not.toMatch(/["*:<>?\\|\u0000-\u001f]|[. ]$|^(con|prn|aux|nul|com\d|lpt\d)( *\.| *$)/i);
    }
  });

  it("of names that differ only in case or composition each has a form of its own, whatever order they come in, and Eremos' own directory keeps its name", () => {
    const names = ["README.txt", "Readme.txt", "readme.txt", "é", "e\u0301", ".EREMOS", "a:b", "A:b", "a%3ab"].map(
      (name) => Buffer.from(name),
    );
    const forms = heldNames(names, [Buffer.from(".eremos")]);
    expect(heldNames([...names].reverse(), [Buffer.from(".eremos")])).toEqual(forms);
    const all = names.map((name) => (forms.get(nameKey(name)) ?? name).toString());
    expect(new Set([...all, ".eremos"].map((name) => name.normalize("NFC").toLowerCase())).size).toBe(names.length + 1);
    expect(all.slice(0, 3)).toEqual(["README.txt", "Readme%~2.txt", "readme%~3.txt"]);
    expect(names.map((name) => trueName(forms.get(nameKey(name)) ?? name))).toEqual(names);
  });
});
