/**
 * The tab's half of a session. It is worth nothing without the cookie, lives as long as the tab, and a new tab of the
 * same page gets it from one that has it.
 */
const KEY = "eremos-tab";
const CHANNEL = "eremos-tab";
const ANSWER_MS = 250;
const changes = new EventTarget();

export function readTab(): string {
  return typeof window === "undefined" ? "" : (window.sessionStorage.getItem(KEY) ?? "");
}

export function writeTab(tab: string): void {
  window.sessionStorage.setItem(KEY, tab);
  changes.dispatchEvent(new Event("change"));
}

export function clearTab(): void {
  window.sessionStorage.removeItem(KEY);
  changes.dispatchEvent(new Event("change"));
}

/** Calls at each new or ended session of this tab; returns how to stop. */
export function onTab(listener: () => void): () => void {
  changes.addEventListener("change", listener);
  return () => changes.removeEventListener("change", listener);
}

/** Answers other tabs of this page; returns how to stop. */
export function shareTab(): () => void {
  const channel = new BroadcastChannel(CHANNEL);
  channel.addEventListener("message", (event: MessageEvent<unknown>) => {
    if (event.data === "ask" && readTab() !== "") channel.postMessage({ tab: readTab() });
  });
  return () => channel.close();
}

let asking: BroadcastChannel | undefined;

/**
 * Asks the other tabs; resolves to whether one answered at once. A tab in the background may take its time on a busy
 * computer: its answer is still taken, for as long as nobody has signed in here, and told through `late`.
 */
export function borrowTab(late: () => void): Promise<boolean> {
  asking?.close();
  const channel = new BroadcastChannel(CHANNEL);
  asking = channel;
  return new Promise((resolve) => {
    let waiting = true;
    const answer = (found: boolean): void => {
      waiting = false;
      resolve(found);
    };
    const timer = setTimeout(() => answer(false), ANSWER_MS);
    channel.addEventListener("message", (event: MessageEvent<unknown>) => {
      const { data } = event;
      if (typeof data !== "object" || data === null || !("tab" in data) || typeof data.tab !== "string") return;
      clearTimeout(timer);
      channel.close();
      if (readTab() !== "") return;
      writeTab(data.tab);
      if (waiting) answer(true);
      else late();
    });
    channel.postMessage("ask");
  });
}
