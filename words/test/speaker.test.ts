import fc from "fast-check";
import { IntlMessageFormat } from "intl-messageformat";
import { describe, expect, test } from "vitest";
import { speaker } from "../src/speaker";

const part = fc.constantFrom(
  ..."abc {name} {files} { name } '' ' '{ '} '< ' '{name}' \n # | < > é".split(" "),
  " ",
  "{files, plural, one {# file} other {# files}}",
  "{isLate, select, true {late} other {in time}}",
  "'",
);
const value = fc.oneof(
  fc.string(),
  fc.constantFrom("'", "{name}", "''"),
  fc.integer(),
  fc.boolean(),
  fc.constant(null),
);

function said(way: () => unknown): unknown {
  try {
    return way();
  } catch (error) {
    return (error as Error).name;
  }
}

describe("a message", () => {
  test("of any parts, filled with anything, reads as ICU MessageFormat has it", () => {
    fc.assert(
      fc.property(fc.array(part, { maxLength: 8 }), value, fc.nat(), (parts, name, files) => {
        const message = parts.join("");
        const values = { name, files, isLate: true };
        const { say } = speaker("test", { message });
        expect(said(() => say("message", values))).toBe(
          said(() => String(new IntlMessageFormat(message, "en", undefined, { ignoreTag: true }).format(values))),
        );
      }),
      { numRuns: 2000 },
    );
  });

  test("that is not filled with what it names is an error, not a gap", () => {
    expect(() => speaker("test", { message: "It is {name}." }).say("message")).toThrow(/name/);
  });
});
