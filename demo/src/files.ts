import { strToU8, zipSync } from "fflate";
import jpeg from "jpeg-js";
import PDFDocument from "pdfkit";
import { PNG } from "pngjs";
import type { Seeded } from "./random";

/** Real files of real types, made from a seed. */
type Rgb = readonly [number, number, number];
const VARNISHES: readonly Rgb[] = [
  [142, 66, 28],
  [168, 88, 36],
  [120, 48, 30],
  [186, 116, 58],
  [98, 52, 34],
];

/** Wood under varnish, with two sound holes: enough to tell one instrument photo from another. */
function paintInstrument(seed: Seeded, width: number, height: number): Buffer {
  const base = seed.pick(VARNISHES);
  const phase = seed.next() * 20;
  const flame = 12 + seed.next() * 30;
  const pixels = Buffer.alloc(width * height * 4);
  // Every second pixel of every second line is reckoned, the rest copied: the demo world is to be there in seconds.
  for (let y = 0; y < height; y += 2) {
    const v = y / height - 0.5;
    const wave = Math.sin(v * 6 + phase) * 2;
    const waist = 0.34 + 0.08 * Math.cos(v * 9);
    const bow = 0.13 + 0.03 * Math.sin(v * 18);
    for (let x = 0; x < width; x += 2) {
      const u = x / width - 0.5;
      const inside = Math.abs(u) < waist && Math.abs(v) < 0.46;
      const hole = inside && Math.abs(Math.abs(u) - bow) < 0.012 && Math.abs(v - 0.05) < 0.16;
      const grain = inside
        ? Math.sin(u * 140 + wave) * 10 +
          Math.sin(v * flame + Math.cos(u * 9 + phase) * 2) * 14 +
          40 * (0.5 - Math.sqrt((u + 0.15) ** 2 + (v + 0.2) ** 2))
        : 0;
      const at = (y * width + x) * 4;
      for (let c = 0; c < 3; c++)
        pixels[at + c] = Math.max(
          0,
          Math.min(255, hole ? 18 : inside ? (base[c] ?? 0) + grain : 218 - 22 * Math.abs(v) - c * 9),
        );
      pixels[at + 3] = 255;
      if (x + 1 < width) pixels.copyWithin(at + 4, at, at + 4);
    }
    if (y + 1 < height) pixels.copyWithin((y + 1) * width * 4, y * width * 4, (y + 1) * width * 4);
  }
  return pixels;
}

export function photoJpeg(seed: Seeded, width = 800, height = 600): Buffer {
  return jpeg.encode({ data: paintInstrument(seed, width, height), width, height }, 84).data;
}

export function drawingPng(seed: Seeded, width = 420, height = 420): Buffer {
  const png = new PNG({ width, height });
  paintInstrument(seed, width, height).copy(png.data);
  return PNG.sync.write(png);
}

export interface Page {
  readonly title: string;
  readonly lines: readonly string[];
}

export function documentPdf(page: Page, date: Date): Promise<Buffer> {
  return new Promise((resolve, reject) => {
    const document = new PDFDocument({
      size: "A4",
      margin: 64,
      info: { Title: page.title, Author: "Ines Varga", CreationDate: date, ModDate: date },
    });
    const parts: Buffer[] = [];
    document.on("data", (part: Buffer) => parts.push(part));
    document.on("end", () => resolve(Buffer.concat(parts)));
    document.on("error", reject);
    document.font("Times-Bold").fontSize(20).text(page.title).moveDown();
    document.font("Times-Roman").fontSize(12);
    for (const line of page.lines) document.text(line, { paragraphGap: 6 });
    document.end();
  });
}

/** A bowed string: a few harmonics, a slow swell. 16-bit mono, 44,100 Hz. */
export function toneWav(frequency: number, seconds: number, seed: Seeded): Buffer {
  const rate = 44_100;
  const count = Math.floor(rate * seconds);
  const bytes = Buffer.alloc(44 + count * 2);
  bytes.write("RIFF", 0, "latin1");
  bytes.writeUInt32LE(36 + count * 2, 4);
  bytes.write("WAVEfmt ", 8, "latin1");
  bytes.writeUInt32LE(16, 16);
  bytes.writeUInt16LE(1, 20);
  bytes.writeUInt16LE(1, 22);
  bytes.writeUInt32LE(rate, 24);
  bytes.writeUInt32LE(rate * 2, 28);
  bytes.writeUInt16LE(2, 32);
  bytes.writeUInt16LE(16, 34);
  bytes.write("data", 36, "latin1");
  bytes.writeUInt32LE(count * 2, 40);
  const vibrato = 5 + seed.next();
  for (let i = 0; i < count; i++) {
    const t = i / rate;
    const angle = 2 * Math.PI * frequency * t + 0.6 * Math.sin(2 * Math.PI * vibrato * t);
    const tone = Math.sin(angle) + 0.5 * Math.sin(2 * angle) + 0.33 * Math.sin(3 * angle) + 0.2 * Math.sin(4 * angle);
    const swell = Math.sin(Math.PI * Math.min(1, t / seconds)) ** 0.5;
    bytes.writeInt16LE(Math.round(tone * swell * 9000 + (seed.next() - 0.5) * 300), 44 + i * 2);
  }
  return bytes;
}

export function archiveZip(entries: Readonly<Record<string, string>>, date: Date): Buffer {
  const files = Object.fromEntries(
    Object.entries(entries).map(([name, text]) => [name, [strToU8(text), { mtime: date }] as const]),
  );
  return Buffer.from(
    zipSync(Object.fromEntries(Object.entries(files).map(([name, [data, options]]) => [name, [data, options]]))),
  );
}

export function csv(rows: readonly (readonly (string | number)[])[]): string {
  return `${rows.map((row) => row.map((cell) => (/[",\n]/.test(String(cell)) ? `"${String(cell).replaceAll('"', '""')}"` : String(cell))).join(",")).join("\n")}\n`;
}
