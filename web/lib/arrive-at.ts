"use client";
import { useEffect } from "react";

/** Comes to the part of a view that the address names, once it is there. */
export function useArriveAt(isThere: boolean): void {
  useEffect(() => {
    if (!isThere) return undefined;
    const arrive = (): void => document.getElementById(window.location.hash.slice(1))?.scrollIntoView();
    arrive();
    window.addEventListener("hashchange", arrive);
    return () => window.removeEventListener("hashchange", arrive);
  }, [isThere]);
}
