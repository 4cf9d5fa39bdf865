/**
 * Draws a PDF on the page itself; scripts in it do not run, and nothing is fetched for it. It stands in the page
 * compressed, and becomes code when a PDF is shown first. Messages are the page's.
 */
import { getDocument } from "pdfjs-dist/legacy/build/pdf.mjs";
import * as worker from "pdfjs-dist/legacy/build/pdf.worker.min.mjs";
import type { DrawPdf } from "./pdf-in-page";

const MOST_PAGES = 50;
const SCALE = 1.4;
const MOST_PIXELS = 16_000_000;

// In the page's own thread: a worker would be another file.
Object.assign(globalThis, { pdfjsWorker: worker });

const draw: DrawPdf = async (data, into, { nameOf, more }) => {
  const task = getDocument({ data, isEvalSupported: false, enableXfa: false, useWorkerFetch: false, useWasm: false });
  const document = await task.promise;
  for (let number = 1; number <= Math.min(document.numPages, MOST_PAGES); number++) {
    const page = await document.getPage(number);
    const whole = page.getViewport({ scale: SCALE });
    const fit = Math.min(1, Math.sqrt(MOST_PIXELS / (whole.width * whole.height)));
    const viewport = page.getViewport({ scale: SCALE * fit });
    const canvas = window.document.createElement("canvas");
    canvas.width = viewport.width;
    canvas.height = viewport.height;
    canvas.setAttribute("role", "img");
    canvas.setAttribute("aria-label", nameOf(number));
    into.append(canvas);
    await page.render({ canvas, viewport }).promise;
  }
  if (document.numPages > MOST_PAGES) {
    const words = window.document.createElement("p");
    words.className = "quiet";
    words.textContent = more(MOST_PAGES, document.numPages);
    into.append(words);
  }
  await task.destroy();
};

Object.assign(globalThis, { drawPdf: draw });
