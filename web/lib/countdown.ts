"use client";
import { useEffect, useState } from "react";

/** The time, looked at again so often while it matters. */
export function useNow(everyMs: number, running = true): number {
  const [now, setNow] = useState(() => Date.now());
  useEffect(() => {
    if (!running) return undefined;
    const timer = setInterval(() => setNow(Date.now()), everyMs);
    return () => clearInterval(timer);
  }, [everyMs, running]);
  return now;
}

/** Milliseconds until a moment, counted down. */
export function useCountdown(until: number): number {
  return Math.max(0, until - useNow(250));
}
