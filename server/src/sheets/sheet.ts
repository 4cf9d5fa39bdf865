import { createRequire } from "node:module";
import PDFDocument from "pdfkit";
import QRCode from "qrcode";
import { say } from "@eremos/words/server/papers";

const require = createRequire(import.meta.url);
const FONT = (weight: number): string =>
  require.resolve(`@fontsource/hanken-grotesk/files/hanken-grotesk-latin-${weight}-normal.woff`);
/** For names, which may be in any script. */
const NAME_FONT = require.resolve("dejavu-fonts-ttf/ttf/DejaVuSans-Bold.ttf");

/** Points, 72 an inch: A4 with margins that every printer leaves. */
const MARGIN = 62;
const WIDTH = 595.28 - 2 * MARGIN;
const QR_SIZE = 150;
/** Few groups stand large in two columns, many smaller in three; the QR code is beside them. */
const FEW = { most: 8, columns: 2, width: 146, height: 36, size: 19 } as const;
const MANY = { columns: 3, width: 96, height: 36, size: 15 } as const;
const PHRASE = { size: 20, lineGap: 6, inset: 14, highest: 260 } as const;
const GAP = { across: 8, down: 4 } as const;
const INK = "#22252e";
const MUTE = "#5c5a56";
const LINE = "#c9bea6";

export interface Section {
  readonly title: string;
  readonly lines: readonly string[];
}

export interface Sheet {
  readonly title: string;
  /** Somebody's name, below the title. */
  readonly name: string | null;
  readonly introduction: string;
  /** What it is for; also as one QR code, groups with dashes between them. */
  readonly secret: { readonly groups: readonly string[] } | { readonly phrase: string };
  readonly sections: readonly Section[];
  /** Milliseconds since 1970. */
  readonly at: number;
}

/** In words, in the language of the sheet. */
export function dayOf(at: number): string {
  return new Date(at).toLocaleDateString("en-GB", { dateStyle: "long" });
}

/**
 * One page for printing, as a PDF: tagged for screen readers, its fonts in it. Made in memory; nothing of it is kept.
 */
export async function printSheet({ title, name, introduction, secret, sections, at }: Sheet): Promise<Buffer> {
  const document = new PDFDocument({
    size: "A4",
    margin: MARGIN,
    pdfVersion: "1.7",
    tagged: true,
    lang: "en-GB",
    displayTitle: true,
    info: { Title: `${title}, ${dayOf(at)}`, CreationDate: new Date(at), ModDate: new Date(at) },
  });
  const parts: Buffer[] = [];
  document.on("data", (part: Buffer) => parts.push(part));
  const ended = new Promise<void>((resolve) => document.on("end", resolve));
  document.registerFont("text", FONT(400)).registerFont("bold", FONT(700)).registerFont("name", NAME_FONT);
  const root = document.struct("Document");
  document.addStructure(root);
  const add = (tag: string, draw: () => void, options: { readonly alt?: string } = {}): void =>
    void root.add(document.struct(tag, options, draw));

  add("H1", () => void document.font("bold").fontSize(26).fillColor(INK).text(title));
  if (name !== null)
    add(
      "P",
      () =>
        void document
          .moveDown(0.2)
          .font("name")
          .fontSize(13)
          .fillColor(INK)
          .text(name, { width: WIDTH, height: 34, ellipsis: true }),
    );
  add(
    "P",
    () =>
      void document
        .moveDown(0.3)
        .font("text")
        .fontSize(11)
        .fillColor(MUTE)
        .text(introduction, { width: WIDTH, lineGap: 2 }),
  );
  const top = document.y + 20;
  const isPhrase = "phrase" in secret;
  const drawn = isPhrase
    ? drawPhrase(add, document, secret.phrase, top)
    : drawGroups(add, document, secret.groups, top);
  const text = isPhrase ? secret.phrase : secret.groups.join("-");
  const qr = QRCode.create(text, { errorCorrectionLevel: "M" });
  add("Figure", () => drawQr(document, qr.modules, MARGIN + WIDTH - QR_SIZE, top, QR_SIZE), {
    alt: say("same-as-qr-code", { text }),
  });
  document.x = MARGIN;
  document.y = top + Math.max(QR_SIZE + 10, drawn) + 12;
  for (const section of sections) {
    add("H2", () => void document.moveDown(0.6).font("bold").fontSize(13).fillColor(INK).text(section.title, MARGIN));
    for (const line of section.lines)
      add(
        "P",
        () =>
          void document
            .moveDown(0.25)
            .font("text")
            .fontSize(10.5)
            .fillColor(INK)
            .text(line, MARGIN, undefined, { width: WIDTH, lineGap: 1.5 }),
      );
  }
  document.end();
  await ended;
  return Buffer.concat(parts);
}

/** Whatever it is made of, as it is typed; returns its height. */
function drawPhrase(
  add: (tag: string, draw: () => void) => void,
  document: PDFKit.PDFDocument,
  phrase: string,
  top: number,
): number {
  const width = WIDTH - QR_SIZE - 2 * PHRASE.inset - GAP.across;
  document.font("name").fontSize(PHRASE.size);
  const height = Math.min(PHRASE.highest, document.heightOfString(phrase, { width, lineGap: PHRASE.lineGap }));
  document.markContent("Artifact", { type: "Layout" });
  document
    .roundedRect(MARGIN, top, width + 2 * PHRASE.inset, height + 2 * PHRASE.inset, 5)
    .lineWidth(0.8)
    .stroke(LINE);
  document.endMarkedContent();
  add("P", () => {
    document
      .fillColor(INK)
      .text(phrase, MARGIN + PHRASE.inset, top + PHRASE.inset, { width, height, lineGap: PHRASE.lineGap });
  });
  return height + 2 * PHRASE.inset;
}

/** Returns its height. */
function drawGroups(
  add: (tag: string, draw: () => void) => void,
  document: PDFKit.PDFDocument,
  groups: readonly string[],
  top: number,
): number {
  const { columns, width, height, size } = groups.length > FEW.most ? MANY : FEW;
  groups.forEach((group, i) => {
    const x = MARGIN + (i % columns) * (width + GAP.across);
    const y = top + Math.floor(i / columns) * (height + GAP.down);
    document.markContent("Artifact", { type: "Layout" });
    document.roundedRect(x, y, width, height, 5).lineWidth(0.8).stroke(LINE);
    document.endMarkedContent();
    add("P", () => {
      document
        .font("text")
        .fontSize(9)
        .fillColor(MUTE)
        .text(`${i + 1}`, x + 9, y + 13, { lineBreak: false });
      document
        .font("bold")
        .fontSize(size)
        .fillColor(INK)
        .text(group, x + 28, y + (height - size) / 2 - 1, { lineBreak: false });
    });
  });
  return Math.ceil(groups.length / columns) * (height + GAP.down);
}

/** Dark modules as squares, with the quiet zone of four that readers need (ISO/IEC 18004). */
function drawQr(
  document: PDFKit.PDFDocument,
  modules: { readonly size: number; readonly data: Uint8Array },
  x: number,
  y: number,
  size: number,
): void {
  const cell = size / (modules.size + 8);
  for (let row = 0; row < modules.size; row++) {
    for (let column = 0; column < modules.size; column++) {
      if (modules.data[row * modules.size + column])
        document.rect(x + (column + 4) * cell, y + (row + 4) * cell, cell + 0.05, cell + 0.05);
    }
  }
  document.fill("#000000");
}
