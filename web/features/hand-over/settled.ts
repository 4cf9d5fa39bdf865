"use client";
import { useEffect, useState } from "react";

const PAUSE_MS = 400;

/** A text as it was when nothing was typed for a moment: what looks at the disk does not run at every letter. */
export function useSettled(text: string): string {
  const [settled, setSettled] = useState(text);
  useEffect(() => {
    const pausing = setTimeout(() => setSettled(text), PAUSE_MS);
    return () => clearTimeout(pausing);
  }, [text]);
  return settled;
}
