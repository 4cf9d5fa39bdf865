import type { ChangeEvent } from "@eremos/server/contract";
import { EventSourceParserStream } from "eventsource-parser/stream";
import { readTab } from "./tab";

const AGAIN_MS = 1500;

/** Follows the server's event stream until stopped; comes back by itself when the connection breaks. */
export function followEvents(onChange: (change: ChangeEvent) => void, onSignedOut: () => void): () => void {
  const stop = new AbortController();
  const follow = async (): Promise<void> => {
    const response = await fetch("/api/events", { headers: { "X-Eremos-Tab": readTab() }, signal: stop.signal });
    if (response.status === 401) return onSignedOut();
    const stream = response.body?.pipeThrough(new TextDecoderStream()).pipeThrough(new EventSourceParserStream());
    const reader = stream?.getReader();
    for (let next = await reader?.read(); next && !next.done; next = await reader?.read()) onChange(JSON.parse(next.value.data) as ChangeEvent);
  };
  const loop = async (): Promise<void> => {
    while (!stop.signal.aborted) {
      await follow().catch(() => undefined);
      await new Promise((resolve) => setTimeout(resolve, AGAIN_MS));
    }
  };
  void loop();
  return () => stop.abort();
}
