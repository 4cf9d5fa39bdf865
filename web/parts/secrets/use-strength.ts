"use client";
import { useEffect, useRef, useState } from "react";
import type { PackageForm, StrengthView } from "@eremos/server/contract";

/**
 * Estimates in a thread of the page's own: what is typed goes nowhere. Null until there is one of the password as it
 * stands or stood just before.
 */
export function useStrength(password: string, form?: PackageForm): StrengthView | null {
  const worker = useRef<Worker | null>(null);
  const asking = useRef(0);
  const [strength, setStrength] = useState<StrengthView | null>(null);
  useEffect(() => {
    const started = new Worker(new URL("./strength.worker.ts", import.meta.url), { type: "module" });
    worker.current = started;
    started.addEventListener(
      "message",
      (event: MessageEvent<{ readonly asking: number; readonly strength: StrengthView }>) => {
        if (event.data.asking === asking.current) setStrength(event.data.strength);
      },
    );
    return () => started.terminate();
  }, []);
  useEffect(() => {
    asking.current += 1;
    if (password !== "") worker.current?.postMessage({ asking: asking.current, password, ...(form ? { form } : {}) });
  }, [password, form]);
  return strength;
}

/** Words by chance, made in the page as strength is: they go nowhere until they are used. */
export function makeWords(): Promise<string> {
  return new Promise((resolve) => {
    const started = new Worker(new URL("./strength.worker.ts", import.meta.url), { type: "module" });
    started.addEventListener("message", (event: MessageEvent<{ readonly words: string }>) => {
      resolve(event.data.words);
      started.terminate();
    });
    started.postMessage({ words: true });
  });
}
