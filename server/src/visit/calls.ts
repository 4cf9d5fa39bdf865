import { type DirNode, EremosError, type Node } from "@eremos/core";
import type { VisitCall, VisitEntry, VisitReply } from "../contract";
import { type Path, hrefOf, pathOf, shownName } from "./hrefs";
import { type Move, type Spot, UNREADABLE, type VisitedFolder } from "./visited-folder";
import { said, say } from "@eremos/words/server/visit";

/** What the page asks of a visit; contents themselves go another way, as streams. */
const MOST_FOUND = 500;

export async function answerCall(folder: VisitedFolder, call: VisitCall): Promise<VisitReply> {
  folder.used();
  switch (call.kind) {
    case "list":
      return { entries: listAt(folder, pathIn(call.href)), isCut: false };
    case "search":
      return search(folder, pathIn(call.href), call.name);
    case "make-directory":
      await folder.makeDir(freeSpot(folder, call.href));
      break;
    case "remove":
      await folder.remove(...outermost(call.hrefs, pathIn).map((href) => takenSpot(folder, href)));
      break;
    case "move":
      await folder.move(movesIn(folder, call.moves));
      break;
    case "arrivals":
      return arrivals(folder);
    case "take-in":
    case "discard":
      await folder.decideOnArrivals(call.ids, call.kind === "take-in");
      break;
    case "earlier":
      return { entries: [], isCut: false, earlier: folder.earlier() };
    case "changes-since":
      return changesSince(folder, call.generation);
    case "put-back":
      await folder.putBack(call.generation, call.hrefs?.map(pathIn) ?? null);
      break;
    case "undo":
      await folder.undo();
      break;
  }
  return { entries: [], isCut: false };
}

function pathIn(href: string): Path {
  const path = pathOf(href);
  if (!path) throw new EremosError("usage", said("that-is-not-path-inside"));
  return path;
}

function spotAt(folder: VisitedFolder, href: string): Spot {
  const spot = folder.spot(pathIn(href));
  if (!spot) throw new EremosError("not-found", said("folder-it-is-in-is"));
  return spot;
}

function takenSpot(folder: VisitedFolder, href: string): Spot {
  const spot = spotAt(folder, href);
  if (!spot.node) throw new EremosError("not-found", said("is-not-there-any-more", { name: shownName(spot.name) }));
  return spot;
}

function freeSpot(folder: VisitedFolder, href: string): Spot {
  const spot = spotAt(folder, href);
  if (spot.node) throw pathTaken(spot);
  return spot;
}

function pathTaken({ name }: Spot): EremosError {
  return new EremosError("path-taken", said("there-is-something-called-already", { name: shownName(name) }));
}

/** Without what lies in another one of them: that goes with it. */
function outermost<T>(all: readonly T[], pathOfOne: (one: T) => Path): T[] {
  const keyOf = (path: Path): string => path.map((name) => name.toString("hex")).join("/");
  const keys = new Set(all.map((one) => keyOf(pathOfOne(one))));
  return all.filter((one) => {
    const path = pathOfOne(one);
    return !path.some((_name, depth) => depth > 0 && keys.has(keyOf(path.slice(0, depth))));
  });
}

function movesIn(folder: VisitedFolder, moves: readonly { readonly href: string; readonly to: string }[]): Move[] {
  const taken = new Set<string>();
  return outermost(moves, ({ href }) => pathIn(href)).map(({ href, to }) => {
    const move = { from: takenSpot(folder, href), to: freeSpot(folder, to) };
    if (taken.has(to)) throw pathTaken(move.to);
    taken.add(to);
    return move;
  });
}

function directoryAt(folder: VisitedFolder, path: Path): DirNode {
  const node = folder.find(path);
  if (node?.kind !== "dir") throw new EremosError("not-found", said("that-folder-is-not-there"));
  return node;
}

function listAt(folder: VisitedFolder, path: Path): VisitEntry[] {
  return folder.list(directoryAt(folder, path)).map((node) => entryOf(node, path));
}

function entryOf(
  node: Pick<Node, "name" | "meta"> &
    (
      | { readonly kind: "dir" }
      | { readonly kind: "file"; readonly size: number }
      | { readonly kind: "link"; readonly target: Buffer }
    ),
  above: Path,
): VisitEntry {
  return {
    name: shownName(node.name),
    href: hrefOf([...above, node.name]),
    kind: node.kind,
    size: node.kind === "file" ? node.size : 0,
    modifiedAt: Number(node.meta.mtimeNs / 1_000_000n),
    leadsTo: node.kind === "link" ? shownName(node.target) : null,
  };
}

async function arrivals(folder: VisitedFolder): Promise<VisitReply> {
  const { drops, unreadable } = await folder.arrivals();
  const entries = drops.map(({ id, path, size, at }): VisitEntry => ({
    name: path.map(shownName).join("/"),
    href: id,
    kind: "file",
    size,
    modifiedAt: at,
    leadsTo: null,
  }));
  const rest: VisitEntry = {
    name: say("that-cant-be-read-damaged", { unreadable }),
    href: UNREADABLE,
    kind: "file",
    size: 0,
    modifiedAt: Date.now(),
    leadsTo: null,
  };
  return { entries: unreadable > 0 ? [...entries, rest] : entries, isCut: false };
}

function changesSince(folder: VisitedFolder, generation: number): VisitReply {
  const changes = folder.changesSince(generation, MOST_FOUND + 1);
  const entries = changes.slice(0, MOST_FOUND).map(({ path, kind, entry }): VisitEntry => ({
    ...entryOf(entry, path.slice(0, -1)),
    name: path.map(shownName).join("/"),
    change: kind,
  }));
  return { entries, isCut: changes.length > MOST_FOUND };
}

/** Names that hold the text, whatever its case, from the directory down. */
function search(folder: VisitedFolder, from: Path, name: string): VisitReply {
  const wanted = name.toLocaleLowerCase();
  const entries: VisitEntry[] = [];
  const visit = (dir: DirNode, path: Path): boolean => {
    for (const node of folder.list(dir)) {
      if (shownName(node.name).toLocaleLowerCase().includes(wanted)) {
        if (entries.length === MOST_FOUND) return false;
        entries.push(entryOf(node, path));
      }
      if (node.kind === "dir" && !visit(node, [...path, node.name])) return false;
    }
    return true;
  };
  return { isCut: !visit(directoryAt(folder, from), from), entries };
}
