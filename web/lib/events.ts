import type { ChangeEvent } from "@eremos/server/contract";
import { EventSourceParserStream } from "eventsource-parser/stream";
import { leaveAddress } from "./leave-address";
import { onTab, readTab } from "./tab";

const AGAIN_MS = 1500;
/** A page that is being loaded again loses its stream a little before it goes. */
const LONGEST_LEAVING_MS = 5000;

interface Following {
  readonly onChange: (change: ChangeEvent) => void;
  /** This tab's session is no longer one. */
  readonly onSignedOut: () => void;
}

/**
 * Follows the server's stream until stopped, signed in or not. That it breaks off means that the server is gone;
 * whoever takes its port next must get nothing of this page, so the page leaves at once, and never asks at that address
 * again.
 */
export function followEvents({ onChange, onSignedOut }: Following): () => void {
  let stopped = false;
  let leaving = false;
  let current = new AbortController();
  const follow = async (signal: AbortSignal): Promise<"over" | "gone" | "refused"> => {
    const tab = readTab();
    const response = await fetch("/api/events", { headers: { "X-Eremos-Tab": tab }, signal });
    if (!response.ok || !response.body) return "refused";
    const reader = response.body
      .pipeThrough(new TextDecoderStream())
      .pipeThrough(new EventSourceParserStream())
      .getReader();
    for (let next = await reader.read(); !next.done; next = await reader.read()) {
      const { event, data } = next.value;
      if (event === "over") return "over";
      if (event === "change") onChange(JSON.parse(data) as ChangeEvent);
      if (event === "standing" && tab !== "" && !(JSON.parse(data) as { readonly signedIn: boolean }).signedIn)
        onSignedOut();
    }
    return "gone";
  };
  const loop = async (): Promise<void> => {
    while (!stopped) {
      const { signal } = current;
      const end = await follow(signal).catch(() => "gone" as const);
      if (end === "gone" && !signal.aborted) {
        if (leaving) await new Promise((resolve) => setTimeout(resolve, LONGEST_LEAVING_MS));
        return leaveAddress();
      }
      if (end === "refused") await new Promise((resolve) => setTimeout(resolve, AGAIN_MS));
    }
  };
  const again = (): void => {
    current.abort();
    current = new AbortController();
  };
  const forget = onTab(again);
  // A page that comes back out of the browser's memory has lost its stream.
  const onShow = (event: PageTransitionEvent): void => {
    if (event.persisted) leaveAddress();
  };
  // A page that is being left breaks its stream off itself.
  const onHide = (): void => {
    stopped = true;
    current.abort();
  };
  const onLeaving = (): void => {
    leaving = true;
    setTimeout(() => (leaving = false), LONGEST_LEAVING_MS);
  };
  window.addEventListener("beforeunload", onLeaving);
  window.addEventListener("pageshow", onShow);
  window.addEventListener("pagehide", onHide);
  void loop();
  return () => {
    stopped = true;
    forget();
    window.removeEventListener("beforeunload", onLeaving);
    window.removeEventListener("pageshow", onShow);
    window.removeEventListener("pagehide", onHide);
    current.abort();
  };
}
