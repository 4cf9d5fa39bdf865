import { type MouseEvent, useRef } from "react";

/** As desktops count them. */
const LONGEST_MS = 500;
const FARTHEST_PX = 4;

/**
 * To be asked about each click in a list, before anybody else is. The second click of two is meant for what the first
 * hit: that one may have made a card smaller, and another one's button lies under the pointer now.
 */
export function useDoubleClick(onDouble: (folder: string) => void): (event: MouseEvent) => void {
  const first = useRef<{ folder: string; x: number; y: number; at: number } | null>(null);
  return (event) => {
    // Keys click, too, at no place.
    if (event.detail === 0) return;
    const before = first.current;
    const { clientX: x, clientY: y, timeStamp: at } = event;
    if (
      before &&
      at - before.at < LONGEST_MS &&
      Math.abs(x - before.x) <= FARTHEST_PX &&
      Math.abs(y - before.y) <= FARTHEST_PX
    ) {
      first.current = null;
      event.preventDefault();
      event.stopPropagation();
      onDouble(before.folder);
      return;
    }
    const target = event.target as Element;
    const folder = target.closest("[data-entry]") && target.closest<HTMLElement>("[data-folder]")?.dataset["folder"];
    const isPlain = !event.shiftKey && !event.ctrlKey && !event.metaKey;
    first.current = folder && isPlain ? { folder, x, y, at } : null;
  };
}
