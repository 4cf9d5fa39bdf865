import "./no-document";
import { fromMarkdown } from "mdast-util-from-markdown";
import Papa from "papaparse";
import type { Measured, PreviewAnswer, PreviewQuestion, Rows } from "./looking";

/**
 * Whatever a file holds is looked at here first, where it can hold up nobody: whoever asked ends this thread when it
 * takes too long.
 */
self.addEventListener("message", (event: MessageEvent<PreviewQuestion>) => {
  const { kind, text } = event.data;
  self.postMessage((kind === "table" ? rowsOf(text) : measure(text)) satisfies PreviewAnswer);
});

const MOST_ROWS = 500;
const MOST_COLUMNS = 60;
const MOST_CELLS = 6000;
const LONGEST_CELL = 500;

function rowsOf(text: string): Rows {
  const rows: string[][] = [];
  let cells = 0;
  let isCut = false;
  Papa.parse<string[]>(text, {
    skipEmptyLines: true,
    step: ({ data }, parser) => {
      const row = data.slice(0, MOST_COLUMNS).map((cell) => cell.slice(0, LONGEST_CELL));
      isCut ||= row.length < data.length;
      cells += row.length;
      rows.push(row);
      if (rows.length <= MOST_ROWS && cells <= MOST_CELLS) return;
      isCut = true;
      parser.abort();
    },
  });
  return { rows: rows.slice(0, MOST_ROWS + 1), isCut };
}

interface Node {
  readonly type: string;
  readonly children?: readonly Node[];
}

function measure(text: string): Measured {
  const begun = performance.now();
  const waiting: { readonly node: Node; readonly depth: number }[] = [{ node: fromMarkdown(text), depth: 0 }];
  let [nodes, deepest] = [0, 0];
  for (let next = waiting.pop(); next; next = waiting.pop()) {
    nodes++;
    deepest = Math.max(deepest, next.depth);
    for (const child of next.node.children ?? []) waiting.push({ node: child, depth: next.depth + 1 });
  }
  return { milliseconds: performance.now() - begun, nodes, depth: deepest };
}
