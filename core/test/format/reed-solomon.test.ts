import { randomBytes } from "node:crypto";
import { expect, it } from "vitest";
import { dataShard } from "../../src/rescue/galois";
import { encodeParity, reconstruct } from "../../src/insurance/reed-solomon";

/** The slow reference, from FORMAT.md §13.1 alone. */
function multiply(a: number, b: number): number {
  let product = 0;
  for (let [x, y] = [a, b]; y > 0; y >>= 1) {
    if (y & 1) product ^= x;
    x = x & 0x80 ? (x << 1) ^ 0x11d : x << 1;
  }
  return product;
}

function inverse(a: number): number {
  for (let b = 1; b < 256; b++) if (multiply(a, b) === 1) return b;
  throw new RangeError("a must not be 0");
}

function power(base: number, exponent: number): number {
  return Array.from({ length: exponent }).reduce<number>((product) => multiply(product, base), 1);
}

/** Gauss-Jordan: the inverse of a square matrix. */
function inverted(matrix: readonly (readonly number[])[]): number[][] {
  const size = matrix.length;
  const rows = matrix.map((row, i) => [...row, ...Array.from({ length: size }, (_, j) => (i === j ? 1 : 0))]);
  for (let column = 0; column < size; column++) {
    const pivot = rows.findIndex((row, i) => i >= column && row[column] !== 0);
    [rows[column], rows[pivot]] = [rows[pivot] ?? [], rows[column] ?? []];
    const own = rows[column] ?? [];
    const scale = inverse(own[column] ?? 0);
    for (let j = 0; j < own.length; j++) own[j] = multiply(own[j] ?? 0, scale);
    rows.forEach((row, i) => {
      const factor = row[column] ?? 0;
      if (i !== column && factor !== 0)
        for (let j = 0; j < row.length; j++) row[j] = (row[j] ?? 0) ^ multiply(factor, own[j] ?? 0);
    });
  }
  return rows.map((row) => row.slice(size));
}

/** Rows of parity over rows of data: the Vandermonde matrix r^c, made systematic. */
function parityMatrix(data: number, parity: number): number[][] {
  const vandermonde = Array.from({ length: data + parity }, (_, r) =>
    Array.from({ length: data }, (_unused, c) => power(r, c)),
  );
  const top = inverted(vandermonde.slice(0, data));
  return vandermonde
    .slice(data)
    .map((row) =>
      Array.from({ length: data }, (_, c) => row.reduce((sum, value, i) => sum ^ multiply(value, top[i]?.[c] ?? 0), 0)),
    );
}

it.each([
  [1, 1],
  [3, 2],
  [20, 5],
  [40, 2],
  [30, 3],
  [20, 20],
])("parity of %i and %i shards is what the format says", (data, parity) => {
  const matrix = parityMatrix(data, parity);
  const bytes = 16;
  const shards = Buffer.concat([randomBytes(data * bytes), Buffer.alloc(parity * bytes)]);
  encodeParity(shards, data, parity);
  for (let row = 0; row < parity; row++) {
    for (let at = 0; at < bytes; at++) {
      const expected = Array.from({ length: data }).reduce<number>(
        (sum, _, i) => sum ^ multiply(matrix[row]?.[i] ?? 0, shards[i * bytes + at] ?? 0),
        0,
      );
      expect(shards[(data + row) * bytes + at]).toBe(expected);
    }
  }
});

it("gives back any shards that are missing, call after call, as long as parity reaches; then refuses", () => {
  for (let run = 0; run < 400; run++) {
    const [data, parity, bytes] = [1 + (run % 40), 1 + (run % 6), run % 2 === 0 ? 64 : 4096];
    const whole = Buffer.concat([randomBytes(data * bytes), Buffer.alloc(parity * bytes)]);
    encodeParity(whole, data, parity);
    const isThere = Array.from({ length: data + parity }, () => true);
    const spoilt = Buffer.from(whole);
    for (let lost = 0; lost < parity; lost++) {
      const which = (run * 7 + lost * 3) % (data + parity);
      isThere[which] = false;
      spoilt.fill(0xee, which * bytes, (which + 1) * bytes);
    }
    const rows = isThere.map((there, row) => (there ? spoilt.subarray(row * bytes, (row + 1) * bytes) : null));
    for (let row = 0; row < (run % 20 === 0 ? data : 0); row++)
      expect(
        dataShard(
          rows.map((shard, i) => (i === row ? null : shard)),
          data,
          row,
        ) ?? dataShard(rows, data, row),
        `slow, run ${run}`,
      ).toEqual(whole.subarray(row * bytes, (row + 1) * bytes));
    reconstruct(spoilt, data, parity, isThere);
    expect(spoilt.subarray(0, data * bytes).equals(whole.subarray(0, data * bytes)), `run ${run}`).toBe(true);
  }
  expect(() => reconstruct(Buffer.alloc(6), 4, 2, [false, false, false, true, true, true])).toThrow(RangeError);
});
