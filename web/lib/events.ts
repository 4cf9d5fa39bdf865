import type { ChangeEvent } from "@eremos/server/contract";
import { EventSourceParserStream } from "eventsource-parser/stream";
import { readTab } from "./tab";

const AGAIN_MS = 1500;

/** Whether anybody answers at all. */
async function isReached(): Promise<boolean> {
  return fetch("/icon.svg", { cache: "no-store" }).then((response) => response.ok, () => false);
}

/** Follows the server's event stream until stopped; comes back by itself when the connection breaks. */
export function followEvents(onChange: (change: ChangeEvent) => void, onSignedOut: () => void, onReached: (reached: boolean) => void): () => void {
  const stop = new AbortController();
  const follow = async (): Promise<void> => {
    const response = await fetch("/api/events", { headers: { "X-Eremos-Tab": readTab() }, signal: stop.signal });
    onReached(true);
    if (response.status === 401) return onSignedOut();
    const stream = response.body?.pipeThrough(new TextDecoderStream()).pipeThrough(new EventSourceParserStream());
    const reader = stream?.getReader();
    for (let next = await reader?.read(); next && !next.done; next = await reader?.read()) onChange(JSON.parse(next.value.data) as ChangeEvent);
  };
  const loop = async (): Promise<void> => {
    while (!stop.signal.aborted) {
      await follow().catch(() => undefined);
      if (!stop.signal.aborted) onReached(await isReached());
      await new Promise((resolve) => setTimeout(resolve, AGAIN_MS));
    }
  };
  void loop();
  return () => stop.abort();
}
