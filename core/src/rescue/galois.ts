/**
 * Reed-Solomon over GF(2^8), polynomial 0x11D, for readers that have nothing but themselves: slow, and only where
 * something is damaged. What is written is made elsewhere, where the arithmetic is fast. FORMAT.md §13.1.
 */
const EXP = new Uint8Array(510);
const LOG = new Uint8Array(256);
for (let exponent = 0, value = 1; exponent < 255; exponent++) {
  EXP[exponent] = EXP[exponent + 255] = value;
  LOG[value] = exponent;
  value = value & 0x80 ? ((value << 1) ^ 0x11d) & 0xff : value << 1;
}

function multiply(a: number, b: number): number {
  return a === 0 || b === 0 ? 0 : (EXP[(LOG[a] ?? 0) + (LOG[b] ?? 0)] ?? 0);
}

function inverse(a: number): number {
  return EXP[255 - (LOG[a] ?? 0)] ?? 0;
}

type Matrix = readonly (readonly number[])[];

/** The r-th row of the Vandermonde matrix r^c. */
function vandermonde(row: number, columns: number): number[] {
  const powers = [1];
  while (powers.length < columns) powers.push(multiply(powers.at(-1) ?? 0, row));
  return powers;
}

function times(a: Matrix, b: Matrix): number[][] {
  return a.map((row) =>
    Array.from({ length: b[0]?.length ?? 0 }, (_, c) =>
      row.reduce((sum, value, i) => sum ^ multiply(value, b[i]?.[c] ?? 0), 0),
    ),
  );
}

/** Gauss-Jordan. */
function inverted(matrix: Matrix): number[][] {
  const size = matrix.length;
  const rows = matrix.map((row, i) => [...row, ...Array.from({ length: size }, (_, j) => (i === j ? 1 : 0))]);
  for (let column = 0; column < size; column++) {
    const pivot = rows.findIndex((row, i) => i >= column && row[column] !== 0);
    if (pivot < 0) throw new RangeError("matrix: it has no inverse");
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

/** All rows, data first: the identity, then what makes parity. */
function coding(data: number, parity: number): number[][] {
  const whole = Array.from({ length: data + parity }, (_, row) => vandermonde(row, data));
  return times(whole, inverted(whole.slice(0, data)));
}

/**
 * One data shard of a stripe, from the others and the parity; null marks what is not there. Null where too much is
 * missing. Shards are equally long.
 */
export function dataShard(shards: readonly (Uint8Array | null)[], data: number, wanted: number): Buffer | null {
  const there = shards.flatMap((shard, row) => (shard ? [{ shard, row }] : [])).slice(0, data);
  if (there.length < data) return null;
  const rows = coding(data, shards.length - data);
  const factors = inverted(there.map(({ row }) => rows[row] ?? []))[wanted] ?? [];
  const out = Buffer.alloc(there[0]?.shard.length ?? 0);
  there.forEach(({ shard }, i) => {
    const factor = factors[i] ?? 0;
    if (factor !== 0)
      for (let at = 0; at < out.length; at++) out[at] = (out[at] ?? 0) ^ multiply(factor, shard[at] ?? 0);
  });
  return out;
}
