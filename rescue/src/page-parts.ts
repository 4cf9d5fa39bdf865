import { bytesIn } from "./sizes";

/** What the pages without Eremos have in common. What they show is text, never markup. */
const MOST_SHOWN = 300;

export function at<T extends HTMLElement>(id: string): T {
  const element = document.getElementById(id);
  if (!element) throw new TypeError(`id: there is no ${id}`);
  return element as T;
}

/** Shows the rows of those whose names hold what is wanted, as many as are read. Returns how many more there are. */
export function showMatching<T>(
  list: HTMLElement,
  all: readonly T[],
  { wanted, nameOf, row }: { wanted: string; nameOf: (one: T) => string; row: (one: T) => HTMLElement },
): number {
  const sought = wanted.toLocaleLowerCase();
  const matching = all.filter((one) => nameOf(one).toLocaleLowerCase().includes(sought));
  list.replaceChildren(...matching.slice(0, MOST_SHOWN).map(row));
  return Math.max(0, matching.length - MOST_SHOWN);
}

/** A row of a list: a name, and the size of what has one. */
export function namedRow(name: string, size: number | null): HTMLLIElement {
  const element = document.createElement("li");
  element.append(span("name", name), ...(size === null ? [] : [span("quiet", bytesIn(size))]));
  return element;
}

function span(className: string, text: string): HTMLSpanElement {
  const element = document.createElement("span");
  element.className = className;
  element.textContent = text;
  return element;
}

export function button(text: string, label: string, act: (pressed: HTMLButtonElement) => void): HTMLButtonElement {
  const element = document.createElement("button");
  element.type = "button";
  element.textContent = text;
  element.setAttribute("aria-label", label);
  element.addEventListener("click", () => act(element));
  return element;
}

/** Does something once at a time; whoever closes a window of the browser's has stopped it, and need not be told. */
export async function working(
  pressed: HTMLButtonElement,
  act: () => Promise<void>,
  { failed, ended }: { readonly failed: (error: unknown) => void; readonly ended: () => void },
): Promise<void> {
  pressed.disabled = true;
  try {
    await act();
  } catch (error) {
    if (!(error instanceof DOMException && error.name === "AbortError")) failed(error);
  } finally {
    pressed.disabled = false;
    ended();
  }
}
