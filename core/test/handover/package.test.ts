import { expect, it } from "vitest";
import fc from "fast-check";
import { type NewPackage, PackageReader, PackageWriter, newPackage, openPackage } from "../../src/handover/package";
import { CHUNK_BYTES, SEALED_CHUNK_BYTES } from "../../src/format/object";

const PASSWORD = "cello in the attic";

/** A package of these bytes, given in parts of that size. */
async function packed(bytes: Buffer, part = 10_000): Promise<NewPackage & { readonly sealed: Buffer }> {
  const made = await newPackage(PASSWORD);
  const parts: Buffer[] = [];
  const writer = new PackageWriter(made.cipher, (sealed) => parts.push(Buffer.from(sealed)));
  for (let at = 0; at < bytes.length; at += part) writer.add(bytes.subarray(at, at + part));
  writer.end();
  return { ...made, sealed: Buffer.concat(parts) };
}

async function opened(head: Buffer, sealed: Buffer, password = PASSWORD): Promise<PackageReader> {
  const source = { size: sealed.length, read: async (at: number, n: number) => sealed.subarray(at, at + n) };
  return new PackageReader(source, await openPackage(head, password));
}

const bytesOf = (length: number): Buffer => Buffer.from(Array.from({ length }, (_, i) => (i * 31) % 251));

it("what goes in comes out, of any size and read in any stretch", async () => {
  for (const length of [0, 1, CHUNK_BYTES - 1, CHUNK_BYTES, CHUNK_BYTES + 1, 3 * CHUNK_BYTES + 7]) {
    const bytes = bytesOf(length);
    const { head, sealed } = await packed(bytes, 70_001);
    const reader = await opened(head, sealed);
    expect([reader.length, (await reader.read(0, length + 10)).equals(bytes)]).toEqual([length, true]);
    await reader.requireEnd();
    await fc.assert(
      fc.asyncProperty(fc.nat(length + 5), fc.nat(2 * CHUNK_BYTES), async (from, count) => {
        expect((await reader.read(from, count)).equals(bytes.subarray(from, from + count))).toBe(true);
      }),
      { numRuns: 20 },
    );
  }
});

it("a wrong password is told from damage, whatever byte of a small package is changed", async () => {
  const bytes = bytesOf(300);
  const { head, sealed } = await packed(bytes);
  await expect(opened(head, sealed, `${PASSWORD}.`)).rejects.toMatchObject({ code: "wrong-password" });
  for (let at = 0; at < sealed.length; at++) {
    const changed = Buffer.from(sealed);
    changed.writeUInt8(changed.readUInt8(at) ^ 1, at);
    const reader = await opened(head, changed);
    await expect(reader.read(0, 300), `byte ${at}`).rejects.toMatchObject({ code: "damaged" });
  }
});

it("a changed head opens nothing: it is no head, another password's, or not that of what follows", async () => {
  const { head, sealed } = await packed(bytesOf(10));
  for (let at = 0; at < head.length; at += 7) {
    const changed = Buffer.from(head);
    changed.writeUInt8(changed.readUInt8(at) ^ 1, at);
    await expect(
      opened(changed, sealed).then((reader) => reader.read(0, 10)),
      `byte ${at}`,
    ).rejects.toMatchObject({ code: expect.stringMatching(/^(damaged|wrong-password)$/) as string });
  }
  const other = await packed(bytesOf(10));
  await expect((await opened(other.head, sealed)).read(0, 10)).rejects.toMatchObject({ code: "damaged" });
});

it("one that was cut off anywhere, or whose parts were swapped, is never read as whole", async () => {
  const { head, sealed } = await packed(bytesOf(3 * CHUNK_BYTES));
  for (const length of [0, 1, 15, 16, 100, SEALED_CHUNK_BYTES, 2 * SEALED_CHUNK_BYTES, sealed.length - 1])
    await expect(
      opened(head, sealed.subarray(0, length)).then((reader) => reader.requireEnd()),
      `${length} bytes`,
    ).rejects.toMatchObject({ code: "damaged" });
  const atChunk = await opened(head, sealed.subarray(0, SEALED_CHUNK_BYTES));
  await expect(atChunk.requireEnd()).rejects.toMatchObject({ data: { reason: "cut off" } });
  const swapped = Buffer.concat([
    sealed.subarray(SEALED_CHUNK_BYTES, 2 * SEALED_CHUNK_BYTES),
    sealed.subarray(0, SEALED_CHUNK_BYTES),
    sealed.subarray(2 * SEALED_CHUNK_BYTES),
  ]);
  await expect((await opened(head, swapped)).read(0, 1)).rejects.toMatchObject({ code: "damaged" });
});

it("two packages of the same under the same password have nothing in common", async () => {
  const [one, two] = [await packed(bytesOf(500)), await packed(bytesOf(500))];
  expect(one.head.equals(two.head)).toBe(false);
  expect(one.sealed.subarray(0, 16).equals(two.sealed.subarray(0, 16))).toBe(false);
});
