"use client";
import { useQueries, useQuery } from "@tanstack/react-query";
import { ChevronRight, File, Folder, FolderOpen } from "lucide-react";
import { type ReactNode, useEffect, useMemo, useRef, useState } from "react";
import { type NodeApi, type NodeRendererProps, Tree, type TreeApi } from "react-arborist";
import type { FolderView, PlaceEntry } from "@eremos/server/contract";
import { mainActOf } from "@/parts/folders/acts";
import { useActs } from "@/parts/folders/acts-provider";
import { doorwayOf } from "@/parts/folders/conditions";
import { menuOf } from "./folder-menu";
import { ContextMenu, type MenuChoice } from "@/ui/menu";
import { Button } from "@/ui/button";
import { Doorway } from "@/ui/doorway";
import { useSelection } from "@/parts/folders/selection";
import { api } from "@/lib/api";
import { cn } from "@/lib/cn";
import { baseName } from "@/lib/format";
import { KEYS, showError, useFolders } from "@/lib/queries";
import { say } from "@eremos/words/page/desk";
import { say as sayRemoving } from "@eremos/words/page/removing";

interface PlaceNode {
  readonly id: string;
  readonly name: string;
  readonly entry: PlaceEntry;
  readonly folder: FolderView | null;
  readonly children: readonly PlaceNode[] | null;
}

function useSize(): {
  readonly ref: React.RefObject<HTMLDivElement | null>;
  readonly width: number;
  readonly height: number;
} {
  const ref = useRef<HTMLDivElement>(null);
  const [size, setSize] = useState({ width: 200, height: 320 });
  useEffect(() => {
    if (!ref.current) return undefined;
    const observer = new ResizeObserver(([box]) => {
      if (box) setSize({ width: box.contentRect.width, height: box.contentRect.height });
    });
    observer.observe(ref.current);
    return () => observer.disconnect();
  }, []);
  return { ref, ...size };
}

/** Nothing of Eremos' stands there. */
function isNewcomer(entry: PlaceEntry): boolean {
  return entry.folder === null;
}

function everyOf(nodes: readonly PlaceNode[]): readonly PlaceNode[] {
  return nodes.flatMap((node) => [node, ...everyOf(node.children ?? [])]);
}

interface PlacesShown {
  /** The one place there is; of several they are nodes themselves. */
  readonly only: PlaceEntry | undefined;
  readonly nodes: readonly PlaceNode[];
  readonly expand: (id: string) => void;
  /** There is nothing to show, and nothing more to come. */
  readonly isBare: boolean;
  /** What can be protected as it is selected. */
  readonly free: string | null;
}

/** What was unfolded of the disk, with the folders of the list in it; `path` is the one that is selected. */
function usePlaces(path: string | null): PlacesShown {
  const roots = useQuery({ queryKey: KEYS.roots, queryFn: api.placeRoots }).data;
  const folders = useFolders();
  const [expanded, setExpanded] = useState<readonly string[]>([]);
  const wanted = useMemo(
    () => [...new Set([...(roots ?? []).map((root) => root.path), ...expanded])],
    [roots, expanded],
  );
  const listings = useQueries({
    queries: wanted.map((place) => ({
      queryKey: KEYS.place(place),
      queryFn: () => api.listPlace(place),
      retry: false,
    })),
  });

  const known = new Map(wanted.map((place, i) => [place, listings[i]?.data]));
  const build = (entry: PlaceEntry, _i: number, beside: readonly PlaceEntry[]): PlaceNode => ({
    // Something else may stand where a hidden folder belongs.
    id:
      !isNewcomer(entry) && beside.some((other) => isNewcomer(other) && other.path === entry.path)
        ? `${entry.path}/${entry.folder ?? ""}`
        : entry.path,
    name: entry.name,
    entry,
    folder: folders?.find((folder) => folder.id === entry.folder) ?? null,
    children: entry.expandable ? (known.get(entry.path)?.entries ?? []).map(build) : null,
  });
  const tops = roots ?? [];
  const only = tops.length === 1 ? tops[0] : undefined;
  const nodes = only ? (known.get(only.path)?.entries ?? []).map(build) : tops.map(build);
  const chosen = folders?.find((folder) => folder.path === path);
  const selected = [...known.values()]
    .flatMap((listing) => listing?.entries ?? [])
    .filter((entry) => entry.path === path);
  const isFree = (!chosen || selected.some(isNewcomer)) && !tops.some((root) => root.path === path);

  return {
    only,
    nodes,
    expand: (id) => setExpanded((old) => (old.includes(id) ? old : [...old, id])),
    isBare: roots !== undefined && nodes.length === 0 && listings.every((listing) => !listing.isLoading),
    free: isFree ? path : null,
  };
}

/** The real disk, a level at a time, live. Your hidden folders appear under their own names. */
export function Places(): ReactNode {
  const { path, select, protect, protectAll } = useSelection();
  const { run } = useActs();
  const [several, setSeveral] = useState<readonly string[]>([]);
  const wasKey = useRef(false);
  const tree = useRef<TreeApi<PlaceNode>>(null);
  // What is chosen elsewhere is chosen here; several that are chosen here stay so.
  useEffect(() => {
    if (path !== null && tree.current?.isSelected(path) === false) tree.current.select(path);
  }, [path]);
  const { only, nodes, expand, isBare, free } = usePlaces(path);
  const { ref, width, height } = useSize();
  // As they are now: what was locked meanwhile is chosen no more.
  const chosen = everyOf(nodes)
    .filter(({ id, entry }) => several.includes(id) && isNewcomer(entry))
    .map(({ entry }) => entry.path);
  /** What Enter and a double click do. */
  const actOn = ({ entry, folder }: PlaceNode): void => {
    if (folder) run(mainActOf(folder), [folder]);
    else if (chosen.length > 1) protectAll(chosen);
    else protect(entry.path);
  };
  return (
    <section
      aria-labelledby="places"
      className="flex h-[340px] shrink-0 flex-col border-line px-3 py-4 max-lg:border-b lg:h-auto lg:min-h-0 lg:border-r"
    >
      <div className="flex items-baseline gap-2 px-1 pb-2">
        <h2 id="places" className="text-base">
          {say("places")}
        </h2>
        {only && (
          <button
            type="button"
            onClick={() => select(only.path)}
            className="truncate text-[13px] text-mute hover:text-ink hover:underline"
            title={only.path}
          >
            {say("in", { name: only.name })}
          </button>
        )}
      </div>
      <div
        ref={ref}
        className="min-h-0 flex-1"
        onKeyDownCapture={(event) => (wasKey.current = event.key === "Enter")}
        onPointerDownCapture={() => (wasKey.current = false)}
      >
        <Tree<PlaceNode>
          data={nodes}
          width={width}
          height={height}
          rowHeight={32}
          indent={16}
          openByDefault={false}
          disableDrag
          disableDrop
          disableEdit
          ref={tree}
          onSelect={(selected: NodeApi<PlaceNode>[]) => {
            setSeveral(selected.map(({ id }) => id));
            const [node] = selected;
            if (node && selected.length === 1 && node.data.entry.path !== path) select(node.data.entry.path);
          }}
          onActivate={(node) => {
            if (wasKey.current) actOn(node.data);
          }}
          onToggle={expand}
          childrenAccessor={(node) => node.children}
        >
          {PlaceRow}
        </Tree>
        {isBare && <p className="px-1 text-[13px] text-mute">{say("nothing-here-yet-as-soon")}</p>}
      </div>
      <ProtectButton chosen={chosen} free={free} />
    </section>
  );
}

interface ProtectButtonProps {
  /** Several paths, or fewer. */
  readonly chosen: readonly string[];
  readonly free: string | null;
}

function ProtectButton({ chosen, free }: ProtectButtonProps): ReactNode {
  const { protect, protectAll } = useSelection();
  const words =
    chosen.length > 1
      ? say("protect-so-many", { count: chosen.length })
      : free === null
        ? say("protect-folder")
        : say("protect", { free: baseName(free) });
  return (
    <Button
      tone={free === null && chosen.length < 2 ? "plain" : "dusk"}
      className="mt-3 w-full shrink-0 overflow-hidden"
      onClick={() => (chosen.length > 1 ? protectAll(chosen) : protect(free ?? ""))}
    >
      <span className="truncate">{words}</span>
    </Button>
  );
}

function PlaceRow({ node, tree, style }: NodeRendererProps<PlaceNode>): ReactNode {
  const { name, entry, folder } = node.data;
  const choices = usePlaceMenu(node.isSelected ? tree.selectedNodes.map(({ data }) => data) : [node.data]);
  const EntryIcon = entry.type === "file" ? File : node.isOpen ? FolderOpen : Folder;
  return (
    <ContextMenu choices={choices}>
      <div
        style={style}
        data-folder={folder?.id}
        onClick={(event) => {
          if (!event.ctrlKey) return;
          // The tree itself knows the other system's key for it alone.
          event.stopPropagation();
          if (node.isSelected) node.deselect();
          else node.selectMulti();
        }}
        onDoubleClick={() => choices[0]?.onChoose()}
        className={cn(
          "flex h-8 cursor-default items-center gap-1.5 rounded-md pr-2 text-sm hover:bg-sand/50",
          node.isSelected && "bg-sand font-medium hover:bg-sand",
        )}
      >
        <span className="grid size-5 shrink-0 place-items-center">
          {node.isInternal && (
            <button
              type="button"
              tabIndex={-1}
              aria-label={node.isOpen ? say("close", { name }) : say("open", { name })}
              className="grid size-5 place-items-center rounded text-mute hover:text-ink"
              onClick={(event) => {
                event.stopPropagation();
                node.toggle();
              }}
            >
              <ChevronRight className={cn("size-3.5 transition-transform", node.isOpen && "rotate-90")} aria-hidden />
            </button>
          )}
        </span>
        {folder ? (
          <Doorway state={doorwayOf(folder)} className="h-[18px] w-[15px]" />
        ) : (
          <EntryIcon
            className={cn("size-4 shrink-0 text-line-strong", entry.type !== "file" && "fill-line")}
            strokeWidth={1.2}
            aria-hidden
          />
        )}
        <span className={cn("truncate", entry.hidden && "text-mute")} title={name}>
          {name}
        </span>
        {folder && <span className="sr-only">{folder.state}</span>}
      </div>
    </ContextMenu>
  );
}

/** What a right click offers: of what is protected its own acts, of the rest what can be made of it. */
function usePlaceMenu(nodes: readonly PlaceNode[]): readonly MenuChoice[] {
  const { protect, protectAll, make, moveInto, overwrite } = useSelection();
  const { run } = useActs();
  const folders = nodes.flatMap(({ folder }) => folder ?? []);
  if (folders.length === nodes.length) return menuOf(folders, run);
  const paths = nodes.filter(({ folder }) => folder === null).map(({ entry }) => entry.path);
  const [only] = nodes;
  return [
    paths.length > 1
      ? { label: say("protect-so-many", { count: paths.length }), onChoose: () => protectAll(paths) }
      : { label: say("protect-it"), onChoose: () => protect(paths[0] ?? "") },
    { label: say("move-into-a-folder"), onChoose: () => moveInto({ folder: "", paths }) },
    ...(only && nodes.length === 1
      ? [
          ...(only.entry.type === "dir"
            ? [{ label: say("new-private-folder-in-it"), onChoose: () => make(`${only.entry.path}/`), isApart: true }]
            : []),
          { label: say("show-in-file-manager"), onChoose: () => void api.show(only.entry.path).catch(showError) },
        ]
      : []),
    {
      label: sayRemoving("overwrite-and-remove"),
      onChoose: () => overwrite({ paths, isFree: false }),
      isApart: true,
    },
    ...(only?.entry.type === "dir" && nodes.length === 1
      ? [
          {
            label: sayRemoving("overwrite-free"),
            onChoose: () => overwrite({ paths: [only.entry.path], isFree: true }),
          },
        ]
      : []),
  ];
}
