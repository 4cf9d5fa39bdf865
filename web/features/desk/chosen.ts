import { useState } from "react";

/** How something is chosen among others: alone, besides, or with all that lie between. */
export type Choosing = "alone" | "besides" | "up-to";

export interface Chosen {
  readonly ids: ReadonlySet<string>;
  choose(id: string, how: Choosing): void;
  chooseAll(ids: readonly string[]): void;
}

export function choosingOf(event: { shiftKey: boolean; ctrlKey: boolean; metaKey: boolean }): Choosing {
  return event.shiftKey ? "up-to" : event.ctrlKey || event.metaKey ? "besides" : "alone";
}

/** Several of a list: ids that left it count no more. `order`: the ids as they stand there. */
export function useChosen(order: readonly string[]): Chosen {
  const [all, setAll] = useState<ReadonlySet<string>>(new Set());
  const [last, setLast] = useState<string | null>(null);
  const ids = new Set(order.filter((id) => all.has(id)));
  return {
    ids,
    choose: (id, how) => {
      setAll(chosenAfter(ids, order, last, id, how));
      if (how !== "up-to") setLast(id);
    },
    chooseAll: (some) => setAll(new Set(some)),
  };
}

export function chosenAfter(
  now: ReadonlySet<string>,
  order: readonly string[],
  last: string | null,
  id: string,
  how: Choosing,
): ReadonlySet<string> {
  if (how === "alone") return new Set([id]);
  if (how === "besides") return now.has(id) ? new Set([...now].filter((one) => one !== id)) : new Set([...now, id]);
  const [from, to] = [Math.max(0, order.indexOf(last ?? id)), order.indexOf(id)];
  return new Set([...now, ...order.slice(Math.min(from, to), Math.max(from, to) + 1)]);
}
