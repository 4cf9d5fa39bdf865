/** Made-up folders to measure on; `zip`: which is also put into an encrypted ZIP, which takes half a minute. */
import { mkdirSync, writeFileSync } from "node:fs";
import { join } from "node:path";

const small = (i) => 1024 + ((i * 7919) % 15_360);

export const CORPORA = {
  "16,000 small files": { files: 16_000, directories: 400, size: small, zip: true },
  "1,000 of 1 MiB": { files: 1000, directories: 20, size: () => 1_048_576 },
  "4 of 512 MiB": { files: 4, directories: 1, size: () => 536_870_912 },
  "10,000 small files": { files: 10_000, directories: 250, size: small },
  "100,000 small files": { files: 100_000, directories: 2500, size: small },
};

export function bytesOf({ files, size }) {
  return Array.from({ length: files }, (_, i) => size(i)).reduce((a, b) => a + b, 0);
}

/** Bytes that no compressor and no file system makes smaller. */
export function makeCorpus(directory, { files, directories, size }) {
  const noise = Buffer.alloc(1_048_576);
  for (let i = 0, x = 1; i < noise.length; i++) {
    x = (Math.imul(x, 1_103_515_245) + 12_345) | 0;
    noise[i] = x >>> 16;
  }
  for (let d = 0; d < directories; d++) mkdirSync(join(directory, `d${d}`), { recursive: true });
  for (let i = 0; i < files; i++) {
    const parts = [];
    for (let left = size(i); left > 0; left -= noise.length)
      parts.push(noise.subarray(0, Math.min(left, noise.length)));
    writeFileSync(join(directory, `d${i % directories}`, `file ${i}`), Buffer.concat(parts));
  }
}
