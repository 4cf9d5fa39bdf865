import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { childHref, lastName, parentHref, wayTo } from "../features/visit/hrefs";
import { previewKindOf } from "../features/visit/kinds";

describe("a path inside a visited folder", () => {
  it("leads back to the names that it was made of, whatever they hold", () => {
    const name = fc
      .string({ unit: "grapheme", minLength: 1, maxLength: 20 })
      .filter((text) => !text.includes("\0") && text.isWellFormed());
    fc.assert(
      fc.property(fc.array(name, { maxLength: 6 }), (names) => {
        const href = names.reduce((above, one) => childHref(above, one), "/");
        expect(wayTo(href).map(lastName)).toEqual(names);
        expect(names.reduce((below) => parentHref(below), href)).toBe("/");
      }),
    );
  });

  it("whose encoding is broken is shown as it is, and throws nothing", () => {
    expect(lastName("/a/%E0%A4%A")).toBe("%E0%A4%A");
  });
});

describe("what is shown of a file", () => {
  it("goes by its ending, however that is written; a name without one is text, an unknown one is not shown", () => {
    for (const [name, kind] of [
      ["photo.JPG", "image"],
      ["notes.md", "markdown"],
      ["2020.csv", "table"],
      ["letter.pdf", "pdf"],
      ["index.html", "text"],
      ["README", "text"],
      ["archive.docx", "zip"],
      ["key.p12", "none"],
      ["photo.jpg.exe", "none"],
    ] as const)
      expect([name, previewKindOf({ kind: "file", name })]).toEqual([name, kind]);
    for (const kind of ["dir", "link"] as const) expect(previewKindOf({ kind, name: "photo.jpg" })).toBe("none");
  });
});
