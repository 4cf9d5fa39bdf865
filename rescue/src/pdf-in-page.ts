/** What draws a PDF, as the page has it: compressed, and of a digest that the page's policy knows. */
export type DrawPdf = (
  data: Uint8Array,
  into: HTMLElement,
  words: {
    readonly nameOf: (page: number) => string;
    readonly more: (shown: number, all: number) => string;
  },
) => Promise<void>;

let drawing: Promise<DrawPdf> | null = null;

/** Whether this browser can make code of it. */
export function canDrawPdf(): boolean {
  return typeof DecompressionStream === "function" && document.getElementById("pdf") !== null;
}

/** @throws TypeError where it is damaged: then its digest is another, and it does not run */
export function loadPdf(): Promise<DrawPdf> {
  drawing ??= load();
  return drawing;
}

async function load(): Promise<DrawPdf> {
  const packed = Buffer.from(document.getElementById("pdf")?.textContent ?? "", "base64");
  const code = new Blob([Uint8Array.from(packed)]).stream().pipeThrough(new DecompressionStream("deflate-raw"));
  const script = document.createElement("script");
  script.textContent = await new Response(code).text();
  document.head.append(script);
  const { drawPdf } = globalThis as { readonly drawPdf?: DrawPdf };
  if (!drawPdf) throw new TypeError("pdf: it did not run");
  return drawPdf;
}
