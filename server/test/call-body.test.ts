import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { decodeCall, encodeCall } from "../src/call-body";

describe("a call of the page", () => {
  it("comes back as it was, but its passwords as the UTF-8 of their NFC, which are no text on the way and parts of what was sent", () => {
    const word = fc.string({ unit: "grapheme", maxLength: 40 });
    fc.assert(
      fc.property(word, word, fc.json(), (password, current, other) => {
        fc.pre(!password.includes("\0") && !current.includes("\0") && !other.includes("$secret"));
        const sent = Buffer.from(encodeCall({ secret: { kind: "password", password }, current, other, hint: null }));
        const got = decodeCall(sent) as { readonly secret: { readonly password: Buffer }; readonly current: Buffer };
        expect(got).toEqual({
          secret: { kind: "password", password: Buffer.from(password.normalize("NFC")) },
          current: Buffer.from(current.normalize("NFC")),
          other,
          hint: null,
        });
        sent.fill(0);
        expect([...got.secret.password, ...got.current].every((byte) => byte === 0)).toBe(true);
      }),
    );
  });

  it("that names a secret which is not there is none", () => {
    for (const json of [
      '{"password":{"$secret":0}}',
      '{"password":{"$secret":-1}}',
      '{"password":{"$secret":"0"}}',
      "not json",
    ])
      expect(() => decodeCall(Buffer.from(json)), json).toThrow(SyntaxError);
  });
});
