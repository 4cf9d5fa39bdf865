import { createRequire } from "node:module";
import { EremosError, isGroupRight, normaliseCodeText } from "@eremos/core";
import PDFDocument from "pdfkit";
import QRCode from "qrcode";
import type { RescueFile } from "../contract";

const require = createRequire(import.meta.url);
const FONT = (weight: number): string => require.resolve(`@fontsource/hanken-grotesk/files/hanken-grotesk-latin-${weight}-normal.woff`);

/** Points, 72 an inch: A4 with margins that every printer leaves. */
const MARGIN = 62;
const WIDTH = 595.28 - 2 * MARGIN;
const INK = "#22252e";
const MUTE = "#5c5a56";
const LINE = "#c9bea6";

export interface Sheet {
  readonly code: string;
  /** Milliseconds since 1970. */
  readonly at: number;
  readonly readers: readonly RescueFile[];
}

/**
 * The recovery sheet as a PDF for printing: tagged for screen readers, its fonts in it, the code as text and as a QR code. Made in memory; nothing
 * of it is kept. @throws EremosError `wrong-code`
 */
export async function recoverySheet({ code, at, readers }: Sheet): Promise<Buffer> {
  const groups = normaliseCodeText(code).match(/.{5}/g) ?? [];
  if (groups.length !== 8 || !groups.every((group, i) => isGroupRight(i, group))) throw new EremosError("wrong-code", "That is not a whole recovery code. Nothing was made.");
  const text = groups.join("-");
  const date = new Date(at).toLocaleDateString("en-GB", { dateStyle: "long" });
  const document = new PDFDocument({ size: "A4", margin: MARGIN, pdfVersion: "1.7", tagged: true, lang: "en-GB", displayTitle: true, info: { Title: `Eremos recovery sheet, ${date}`, CreationDate: new Date(at), ModDate: new Date(at) } });
  const parts: Buffer[] = [];
  document.on("data", (part: Buffer) => parts.push(part));
  const ended = new Promise<void>((resolve) => document.on("end", resolve));
  document.registerFont("text", FONT(400)).registerFont("bold", FONT(700));
  const root = document.struct("Document");
  document.addStructure(root);
  const add = (tag: string, draw: () => void, options: { readonly alt?: string } = {}): void => void root.add(document.struct(tag, options, draw));

  add("H1", () => void document.font("bold").fontSize(26).fillColor(INK).text("Eremos recovery sheet"));
  add("P", () => void document.moveDown(0.3).font("text").fontSize(11).fillColor(MUTE).text(`Made on ${date}. This code opens every folder of its owner, without the master password; folders with a password of their own, too. Whoever has this sheet can open them: keep it with your papers, not beside the computer.`, { width: WIDTH, lineGap: 2 }));
  const top = document.y + 20;
  drawGroups(add, document, groups, top);
  const qr = QRCode.create(text, { errorCorrectionLevel: "M" });
  add("Figure", () => drawQr(document, qr.modules, MARGIN + WIDTH - 150, top, 150), { alt: `The same code as a QR code: ${text}` });
  document.x = MARGIN;
  document.y = top + 172;
  const section = (title: string, lines: readonly string[]): void => {
    add("H2", () => void document.moveDown(0.6).font("bold").fontSize(13).fillColor(INK).text(title, MARGIN));
    for (const line of lines) add("P", () => void document.moveDown(0.25).font("text").fontSize(10.5).fillColor(INK).text(line, MARGIN, undefined, { width: WIDTH, lineGap: 1.5 }));
  };
  section("When you type it", ["Eight groups of five. Capitals, spaces and dashes don’t matter. The letters I, L, O and U do not occur: what looks like them is a 1, a 1, a 0 and a V. The last character of each group checks the others, so that a mistyped group is named at once."]);
  section("You forgot the master password", ["Start Eremos, and choose “I forgot my master password” where it asks for it. The code sets a new one; your folders stay as they are."]);
  section("Eremos is gone, or this is another computer", [
    "With Eremos: choose “I have folders that Eremos locked before” when it starts for the first time. It finds them on the disk.",
    "Without Eremos: open the page rescue.html in any current browser, choose the locked folder (the one with a folder called .eremos in it), and type this code. Or, with Node.js: node rescue.mjs FOLDER --to DIRECTORY --code. Both work offline and change nothing. Save them from Ways back in Eremos, on a stick that you keep with this sheet.",
  ]);
  if (readers.length > 0) section("So that nobody gives you another page", readers.map(({ name, sha256 }) => `${name}, SHA-256: ${sha256.match(/.{1,8}/g)?.join(" ") ?? ""}`));
  section("A newer code", ["When you make a new code, this sheet stops working for everything Eremos can reach then. Copies and drives that were not there keep opening with it: keep it until Eremos says that nothing is left, then destroy it."]);
  document.end();
  await ended;
  return Buffer.concat(parts);
}

function drawGroups(add: (tag: string, draw: () => void) => void, document: PDFKit.PDFDocument, groups: readonly string[], top: number): void {
  const [columns, width, height] = [2, 146, 36];
  groups.forEach((group, i) => {
    const x = MARGIN + (i % columns) * (width + 8);
    const y = top + Math.floor(i / columns) * (height + 4);
    document.markContent("Artifact", { type: "Layout" });
    document.roundedRect(x, y, width, height, 5).lineWidth(0.8).stroke(LINE);
    document.endMarkedContent();
    add("P", () => {
      document.font("text").fontSize(9).fillColor(MUTE).text(`${i + 1}`, x + 9, y + 13, { lineBreak: false });
      document.font("bold").fontSize(19).fillColor(INK).text(group, x + 28, y + 8, { lineBreak: false });
    });
  });
}

/** Dark modules as squares, with the quiet zone of four that readers need (ISO/IEC 18004). */
function drawQr(document: PDFKit.PDFDocument, modules: { readonly size: number; readonly data: Uint8Array }, x: number, y: number, size: number): void {
  const cell = size / (modules.size + 8);
  for (let row = 0; row < modules.size; row++) {
    for (let column = 0; column < modules.size; column++) {
      if (modules.data[row * modules.size + column]) document.rect(x + (column + 4) * cell, y + (row + 4) * cell, cell + 0.05, cell + 0.05);
    }
  }
  document.fill("#000000");
}
