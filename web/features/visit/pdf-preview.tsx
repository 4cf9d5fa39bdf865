"use client";
import { GlobalWorkerOptions, getDocument } from "pdfjs-dist";
import { type ReactNode, useEffect, useRef, useState } from "react";
import { say } from "@eremos/words/page/visit";

const MOST_PAGES = 50;
const SCALE = 1.4;
const MOST_PIXELS = 16_000_000;

/** Pages drawn by the page itself, part by part as they are needed; scripts in the document do not run. */
export function PdfPreview({ url, onError }: { readonly url: string; readonly onError: () => void }): ReactNode {
  const pages = useRef<HTMLDivElement>(null);
  const [count, setCount] = useState<number | null>(null);
  useEffect(() => {
    GlobalWorkerOptions.workerSrc = new URL("pdfjs-dist/build/pdf.worker.min.mjs", import.meta.url).toString();
    const task = getDocument({ url, isEvalSupported: false, enableXfa: false, disableAutoFetch: true });
    const draw = async (): Promise<void> => {
      const document = await task.promise;
      setCount(document.numPages);
      for (let number = 1; number <= Math.min(document.numPages, MOST_PAGES); number++) {
        const page = await document.getPage(number);
        const whole = page.getViewport({ scale: SCALE });
        const viewport =
          whole.width * whole.height > MOST_PIXELS
            ? page.getViewport({ scale: SCALE * Math.sqrt(MOST_PIXELS / (whole.width * whole.height)) })
            : whole;
        const canvas = Object.assign(window.document.createElement("canvas"), {
          width: viewport.width,
          height: viewport.height,
          className: "mb-4 w-full rounded-sm border border-line bg-white",
        });
        canvas.setAttribute("role", "img");
        canvas.setAttribute("aria-label", say("page", { number }));
        pages.current?.append(canvas);
        await page.render({ canvas, viewport }).promise;
      }
    };
    draw().catch((error: unknown) => {
      if (!task.destroyed) onError();
      else if (!(error instanceof Error)) throw error;
    });
    const holder = pages.current;
    return () => {
      void task.destroy();
      holder?.replaceChildren();
    };
  }, [url, onError]);
  return (
    <>
      <div ref={pages} />
      {count !== null && count > MOST_PAGES && (
        <p className="text-[13px] text-mute">
          {say("first-pages-are-shown-download", { mostPages: MOST_PAGES, count })}
        </p>
      )}
    </>
  );
}
