"use client";
import { useEffect, useState } from "react";

export interface PreviewQuestion {
  readonly kind: "table" | "markdown";
  readonly text: string;
}

export interface Rows {
  readonly rows: readonly (readonly string[])[];
  /** There are more rows, columns or letters than are shown. */
  readonly isCut: boolean;
}

/** How much there would be to draw, and how long it took to find out. */
export interface Measured {
  readonly milliseconds: number;
  readonly nodes: number;
  readonly depth: number;
}

export type PreviewAnswer = Rows | Measured;

const LONGEST_LOOK_MS = 4000;

/** What a thread of its own found in a text; "too-much" where it took too long or failed; null while it looks. */
export function useLook<A extends PreviewAnswer>(
  kind: PreviewQuestion["kind"],
  text: string | null,
): A | "too-much" | null {
  const [found, setFound] = useState<{ readonly text: string; readonly answer: A | "too-much" } | null>(null);
  useEffect(() => {
    if (text === null) return;
    const worker = new Worker(new URL("./preview.worker.ts", import.meta.url), { type: "module" });
    const end = (answer: A | "too-much"): void => {
      clearTimeout(timer);
      worker.terminate();
      setFound({ text, answer });
    };
    const timer = setTimeout(() => end("too-much"), LONGEST_LOOK_MS);
    worker.addEventListener("message", (event: MessageEvent<A>) => end(event.data));
    worker.addEventListener("error", () => end("too-much"));
    worker.postMessage({ kind, text } satisfies PreviewQuestion);
    return () => {
      clearTimeout(timer);
      worker.terminate();
    };
  }, [kind, text]);
  return found?.text === text ? found.answer : null;
}
