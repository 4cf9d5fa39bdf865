"use client";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { Command } from "cmdk";
import { Folder, Plus, Search } from "lucide-react";
import { useRouter } from "next/navigation";
import { type ReactNode, type RefObject, useEffect, useRef, useState } from "react";
import { useSelection } from "@/parts/folders/selection";
import { Doorway } from "@/ui/doorway";
import { doorwayOf } from "@/parts/folders/conditions";
import { api } from "@/lib/api";
import { cn } from "@/lib/cn";
import { baseName } from "@/lib/format";
import { useFolders } from "@/lib/queries";
import { say } from "@eremos/words/page/shell";

const ITEM = "flex cursor-pointer items-center gap-2.5 rounded-lg px-2.5 py-2 text-sm data-[selected=true]:bg-sand";

function looksLikePath(text: string): boolean {
  return /^(\/|~|file:)/.test(text.trim());
}

/** Finds a folder, takes a typed or pasted path, and starts what is most often wanted. */
export function CommandField(): ReactNode {
  const router = useRouter();
  const { select, protect } = useSelection();
  const [open, setOpen] = useState(false);
  const [text, setText] = useState("");
  const input = useRef<HTMLInputElement>(null);
  const isPath = looksLikePath(text);
  const completions =
    useQuery({
      queryKey: ["complete", text],
      queryFn: () => api.completePath(text.trim()),
      enabled: open && isPath,
      placeholderData: keepPreviousData,
      gcTime: 0,
    }).data ?? [];

  useShortcut(input);
  const leave = (): void => {
    setOpen(false);
    setText("");
    if (document.activeElement instanceof HTMLElement) document.activeElement.blur();
  };
  const goTo = (path: string): void => {
    select(path);
    router.push("/");
    leave();
  };

  return (
    <Command
      label={say("find-folder-paste-path-or")}
      shouldFilter={!isPath}
      className="relative w-full max-w-[480px] min-w-0"
      onKeyDown={(event) => {
        if (event.key === "Escape") leave();
        if (event.key === "Tab" && isPath && completions[0] !== undefined && completions[0] !== text) {
          event.preventDefault();
          setText(`${completions[0]}/`);
        }
      }}
    >
      <Search className="pointer-events-none absolute top-1/2 left-3 size-4 -translate-y-1/2 text-mute" aria-hidden />
      <Command.Input
        ref={input}
        value={text}
        onValueChange={setText}
        onFocus={() => setOpen(true)}
        onBlur={() => setTimeout(() => setOpen(false), 120)}
        placeholder={say("find-folder-paste-path-or")}
        className="h-9 w-full rounded-lg border border-line bg-paper pr-2 pl-9 sm:pr-16 text-sm placeholder:text-mute"
      />
      <kbd className="pointer-events-none absolute top-1/2 right-2 max-sm:hidden -translate-y-1/2 rounded border border-line bg-sheet px-1.5 py-0.5 font-sans text-[11px] text-mute">
        {say("ctrl-k")}
      </kbd>
      <Command.List
        className={cn(
          "absolute top-11 z-30 max-h-[60vh] w-full overflow-y-auto rounded-xl border border-line bg-sheet p-1.5 shadow-xl",
          !open && "hidden",
        )}
        label={say("what-was-found")}
        onMouseDown={(event) => event.preventDefault()}
      >
        {isPath ? (
          <Paths typed={text} completions={completions} onGo={goTo} />
        ) : (
          <Folders
            onGo={goTo}
            onProtect={() => {
              protect("");
              leave();
            }}
          />
        )}
      </Command.List>
    </Command>
  );
}

/** Ctrl K leads into the field from anywhere. */
function useShortcut(input: RefObject<HTMLInputElement | null>): void {
  useEffect(() => {
    const onKey = (event: KeyboardEvent): void => {
      if (event.key.toLowerCase() !== "k" || !(event.ctrlKey || event.metaKey)) return;
      event.preventDefault();
      input.current?.focus();
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [input]);
}

interface PathsProps {
  readonly typed: string;
  readonly completions: readonly string[];
  readonly onGo: (path: string) => void;
}

function Paths({ typed, completions, onGo }: PathsProps): ReactNode {
  return (
    <>
      {completions.length === 0 && <p className="px-2.5 py-3 text-sm text-mute">{say("no-folder-there-that-can")}</p>}
      {[...new Set([typed.trim().replace(/\/$/, ""), ...completions])]
        .filter((path) => path !== "")
        .map((path) => (
          <Command.Item key={path} value={path} onSelect={() => onGo(path)} className={ITEM}>
            <Folder className="size-4 shrink-0 text-line-strong" aria-hidden />
            <span className="truncate">{path}</span>
          </Command.Item>
        ))}
    </>
  );
}

interface FoldersProps {
  readonly onGo: (path: string) => void;
  readonly onProtect: () => void;
}

function Folders({ onGo, onProtect }: FoldersProps): ReactNode {
  const folders = useFolders() ?? [];
  return (
    <>
      <Command.Empty className="px-2.5 py-3 text-sm text-mute">{say("nothing-by-that-name-path")}</Command.Empty>
      {folders.map((folder) => (
        <Command.Item
          key={folder.id}
          value={`${folder.name} ${folder.path}`}
          onSelect={() => onGo(folder.path)}
          className={ITEM}
        >
          <Doorway state={doorwayOf(folder)} className="h-5 w-4" />
          <span className="font-medium">{folder.name}</span>
          <span className="truncate text-mute">{baseName(folder.path.slice(0, -folder.name.length - 1))}</span>
        </Command.Item>
      ))}
      <Command.Item value={say("protect-lock-folder")} onSelect={onProtect} className={ITEM}>
        <Plus className="size-4 text-dusk" aria-hidden />
        {say("protect-folder")}
      </Command.Item>
    </>
  );
}
