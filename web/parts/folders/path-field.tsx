"use client";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { ChevronLeft, File, Folder } from "lucide-react";
import { Popover } from "radix-ui";
import { type ReactNode, useId, useState } from "react";
import type { PlaceEntry } from "@eremos/server/contract";
import { Button } from "@/ui/button";
import { FieldNote } from "@/ui/field";
import { api } from "@/lib/api";
import { baseName, parentOf } from "@/lib/format";
import { KEYS } from "@/lib/queries";
import { say } from "@eremos/words/page/folders";

interface PathFieldProps {
  readonly label: string;
  readonly path: string;
  readonly onPath: (path: string) => void;
  /** Folders alone, or files, too. */
  readonly wants: "folder" | "any";
  readonly placeholder?: string;
  readonly note?: ReactNode;
  readonly problem?: string | null;
  readonly className?: string;
  readonly autoFocus?: boolean;
}

/**
 * A path, typed, pasted as other programs give it, completed, or found by walking. What it means is settled by the
 * server: quotes, `~`, addresses of files, and paths that begin at home.
 */
export function PathField({
  label,
  path,
  onPath,
  wants,
  placeholder,
  note,
  problem = null,
  className,
  autoFocus,
}: PathFieldProps): ReactNode {
  const id = useId();
  const completions =
    useQuery({
      queryKey: ["complete", path],
      queryFn: () => api.completePath(path),
      gcTime: 0,
      placeholderData: keepPreviousData,
    }).data ?? [];
  return (
    <div className={className}>
      <label htmlFor={id} className="mb-1.5 block text-sm font-semibold">
        {label}
      </label>
      <div className="flex gap-2">
        <input
          id={id}
          list={`${id}-list`}
          value={path}
          onChange={(event) => onPath(event.target.value)}
          placeholder={placeholder}
          aria-invalid={problem !== null}
          aria-describedby={`${id}-note`}
          autoComplete="off"
          spellCheck={false}
          autoFocus={autoFocus}
          className="h-11 w-full min-w-0 rounded-lg border border-line-strong/70 bg-sheet px-3 text-[15px] placeholder:text-mute/80"
        />
        <Browse path={path} wants={wants} onPath={onPath} />
      </div>
      <datalist id={`${id}-list`}>
        {completions.map((completion) => (
          <option key={completion} value={completion} />
        ))}
      </datalist>
      <FieldNote id={`${id}-note`} note={note} problem={problem} />
    </div>
  );
}

/** Walks the places, a level at a time. */
function Browse({ path, wants, onPath }: Pick<PathFieldProps, "path" | "wants" | "onPath">): ReactNode {
  const [isOpen, setOpen] = useState(false);
  const [at, setAt] = useState<string | null>(null);
  const roots = useQuery({ queryKey: KEYS.roots, queryFn: api.placeRoots, enabled: isOpen }).data ?? [];
  const only = roots.length === 1 ? (roots[0]?.path ?? null) : null;
  const here = at ?? only;
  const listing = useQuery({
    queryKey: KEYS.place(here ?? ""),
    queryFn: () => api.listPlace(here ?? ""),
    enabled: isOpen && here !== null,
    retry: false,
  });
  const entries = (here === null ? roots : (listing.data?.entries ?? [])).filter(
    ({ type }) => wants === "any" || type === "dir",
  );
  const isRoot = here === null || roots.some((root) => root.path === here);
  const choose = (chosen: string): void => {
    onPath(chosen);
    setOpen(false);
  };
  return (
    <Popover.Root
      open={isOpen}
      onOpenChange={(open) => {
        setOpen(open);
        if (open) setAt(path.startsWith("/") ? parentOf(path) || null : null);
      }}
    >
      <Popover.Trigger asChild>
        <Button className="h-11">{say("browse")}</Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="end"
          sideOffset={6}
          aria-label={say("browse")}
          className="z-50 w-80 rounded-xl border border-line bg-sheet p-2 shadow-xl"
        >
          <div className="flex items-center gap-1.5 px-1 pb-1.5">
            {(!isRoot || (here !== null && roots.length > 1)) && (
              <button
                type="button"
                aria-label={say("one-level-up")}
                onClick={() => setAt(isRoot ? null : parentOf(here ?? ""))}
                className="grid size-7 place-items-center rounded-md text-mute hover:bg-sand hover:text-ink"
              >
                <ChevronLeft className="size-4" aria-hidden />
              </button>
            )}
            <p className="truncate text-[13px] font-semibold" title={here ?? ""}>
              {here === null ? say("your-places") : baseName(here)}
            </p>
          </div>
          <Level entries={entries} onEnter={setAt} onChoose={choose} />
          {here !== null && (
            <Button size="small" tone="dusk" className="mt-2 w-full" onClick={() => choose(here)}>
              <span className="truncate">{say("choose-named", { name: baseName(here) })}</span>
            </Button>
          )}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

interface LevelProps {
  readonly entries: readonly PlaceEntry[];
  readonly onEnter: (path: string) => void;
  readonly onChoose: (path: string) => void;
}

function Level({ entries, onEnter, onChoose }: LevelProps): ReactNode {
  return (
    <ul className="max-h-64 overflow-y-auto">
      {entries.map((entry) => (
        <li key={`${entry.path} ${entry.folder ?? ""}`} className="flex items-center gap-1">
          <button
            type="button"
            onClick={() => (entry.type === "dir" && entry.folder === null ? onEnter(entry.path) : onChoose(entry.path))}
            className="flex min-w-0 flex-1 items-center gap-2 rounded-md px-2 py-1.5 text-left text-sm hover:bg-sand/60"
          >
            {entry.type === "dir" ? (
              <Folder className="size-4 shrink-0 text-line-strong" aria-hidden />
            ) : (
              <File className="size-4 shrink-0 text-line-strong" aria-hidden />
            )}
            <span className="truncate">{entry.name}</span>
          </button>
          <Button size="small" tone="quiet" className="px-2" onClick={() => onChoose(entry.path)}>
            {say("choose-this")}
          </Button>
        </li>
      ))}
      {entries.length === 0 && <li className="px-2 py-2 text-[13px] text-mute">{say("nothing-in-it")}</li>}
    </ul>
  );
}
