import { afterEach, beforeEach, describe, expect, test, vi } from "vitest";
import { borrowTab, clearTab, readTab, writeTab } from "../lib/tab.ts";

let other: BroadcastChannel;
/** What the other tab does when it is asked. */
let asked: () => void;

beforeEach(() => {
  const kept = new Map<string, string>();
  vi.stubGlobal("window", {
    sessionStorage: {
      getItem: (key: string) => kept.get(key) ?? null,
      setItem: (key: string, value: string) => void kept.set(key, value),
      removeItem: (key: string) => void kept.delete(key),
    },
  });
  other = new BroadcastChannel("eremos-tab");
  other.addEventListener("message", (event) => {
    if (event.data === "ask") asked();
  });
});

afterEach(() => {
  other.close();
  vi.unstubAllGlobals();
});

describe("a new tab", () => {
  test("gets the session of one that answers at once", async () => {
    asked = () => other.postMessage({ tab: "theirs" });
    expect(await borrowTab(() => expect.unreachable())).toBe(true);
    expect(readTab()).toBe("theirs");
  });

  test("shows the gate when nobody answers, and still takes an answer that comes late", async () => {
    asked = () => undefined;
    let found: Promise<boolean> | undefined;
    const late = new Promise<void>((resolve) => (found = borrowTab(resolve)));
    expect(await found).toBe(false);
    expect(readTab()).toBe("");
    other.postMessage({ tab: "theirs" });
    await late;
    expect(readTab()).toBe("theirs");
  });

  test("keeps its own session when somebody has signed in here before the answer came", async () => {
    asked = () => undefined;
    await borrowTab(() => expect.unreachable());
    writeTab("mine");
    const heard = vi.spyOn(BroadcastChannel.prototype, "close");
    other.postMessage({ tab: "theirs" });
    // It stops to listen with the answer.
    await vi.waitFor(() => expect(heard).toHaveBeenCalledOnce());
    heard.mockRestore();
    expect(readTab()).toBe("mine");
    clearTab();
  });
});
