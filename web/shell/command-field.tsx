"use client";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { Command } from "cmdk";
import {
  ChevronRight,
  DoorClosed,
  Folder,
  FolderInput,
  FolderPlus,
  LogOut,
  type LucideIcon,
  Plus,
  Search,
  SlidersHorizontal,
} from "lucide-react";
import { useRouter } from "next/navigation";
import { type ReactNode, type RefObject, useEffect, useRef, useState } from "react";
import { useSelection } from "@/parts/folders/selection";
import { Doorway } from "@/ui/doorway";
import { ACT_WORDS, actsOf } from "@/parts/folders/acts";
import { useActs } from "@/parts/folders/acts-provider";
import { SETTINGS_SECTIONS } from "@/lib/settings-sections";
import { VIEWS } from "./views";
import { doorwayOf } from "@/parts/folders/conditions";
import { api } from "@/lib/api";
import { cn } from "@/lib/cn";
import { baseName } from "@/lib/format";
import { useFolders } from "@/lib/queries";
import { say } from "@eremos/words/page/shell";

const ITEM = "flex cursor-pointer items-center gap-2.5 rounded-lg px-2.5 py-2 text-sm data-[selected=true]:bg-sand";

function looksLikePath(text: string): boolean {
  return /^["']?(\/|~|file:)/.test(text.trim());
}

interface CommandFieldProps {
  readonly onCloseUp: () => void;
  readonly onSignOut: () => void;
}

/** Finds a folder, takes a typed or pasted path, and knows every command. */
export function CommandField({ onCloseUp, onSignOut }: CommandFieldProps): ReactNode {
  const router = useRouter();
  const { select } = useSelection();
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
        <Found
          typed={text}
          completions={isPath ? completions : null}
          onGo={goTo}
          onCloseUp={onCloseUp}
          onSignOut={onSignOut}
          onDone={leave}
        />
      </Command.List>
    </Command>
  );
}

interface FoundProps extends CommandFieldProps {
  readonly typed: string;
  /** Null: it is no path. */
  readonly completions: readonly string[] | null;
  readonly onGo: (path: string) => void;
  readonly onDone: () => void;
}

function Found({ typed, completions, onGo, onCloseUp, onSignOut, onDone }: FoundProps): ReactNode {
  const { make } = useSelection();
  if (completions)
    return (
      <Paths
        typed={typed}
        completions={completions}
        onGo={onGo}
        onMake={(path) => {
          make(path);
          onDone();
        }}
      />
    );
  return (
    <>
      <Command.Empty className="px-2.5 py-3 text-sm text-mute">{say("nothing-by-that-name-path")}</Command.Empty>
      <Folders onGo={onGo} />
      <FolderCommands typed={typed} onDone={onDone} />
      <Commands onCloseUp={onCloseUp} onSignOut={onSignOut} onDone={onDone} />
    </>
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
  readonly onMake: (path: string) => void;
}

function Paths({ typed, completions, onGo, onMake }: PathsProps): ReactNode {
  const path = typed.trim().replace(/\/$/, "");
  return (
    <>
      {completions.length === 0 && (
        <>
          <p className="px-2.5 py-3 text-sm text-mute">{say("no-folder-there-that-can")}</p>
          <Command.Item value={`new ${path}`} onSelect={() => onMake(path)} className={ITEM}>
            <FolderPlus className="size-4 text-dusk" aria-hidden />
            {say("new-private-folder-there")}
          </Command.Item>
        </>
      )}
      {[...new Set([path, ...completions])]
        .filter((one) => one !== "")
        .map((one) => (
          <Command.Item key={one} value={one} onSelect={() => onGo(one)} className={ITEM}>
            <Folder className="size-4 shrink-0 text-line-strong" aria-hidden />
            <span className="truncate">{one}</span>
          </Command.Item>
        ))}
    </>
  );
}

function Folders({ onGo }: { readonly onGo: (path: string) => void }): ReactNode {
  return (useFolders() ?? []).map((folder) => (
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
  ));
}

/** Of so many folders whose name was begun, what can be done with each is offered. */
const MOST_MEANT = 6;

/** "lock payroll", or "payroll lock". */
function FolderCommands({ typed, onDone }: { readonly typed: string; readonly onDone: () => void }): ReactNode {
  const { run } = useActs();
  const folders = useFolders() ?? [];
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  const meant = folders
    .filter(({ name }) => words.some((word) => word.length > 1 && name.toLowerCase().includes(word)))
    .slice(0, MOST_MEANT);
  return meant.flatMap((folder) =>
    actsOf(folder).map((act) => (
      <Command.Item
        key={`${folder.id} ${act}`}
        value={`${ACT_WORDS[act]} ${folder.name} ${ACT_WORDS[act]} ${folder.id}`}
        onSelect={() => {
          run(act, [folder]);
          onDone();
        }}
        className={ITEM}
      >
        <ChevronRight className="size-4 text-dusk" aria-hidden />
        <span>{ACT_WORDS[act]}</span>
        <span className="truncate font-medium">{folder.name}</span>
      </Command.Item>
    )),
  );
}

/** Everything else there is to do, and every place in the house. */
function Commands({ onCloseUp, onSignOut, onDone }: CommandFieldProps & { readonly onDone: () => void }): ReactNode {
  const router = useRouter();
  const { protect, make, moveInto } = useSelection();
  const commands: readonly (readonly [string, LucideIcon, () => void])[] = [
    [say("protect-folder"), Plus, () => protect("")],
    [say("new-private-folder"), FolderPlus, () => make("")],
    [say("move-files-in"), FolderInput, () => moveInto({ folder: "", paths: [] })],
    [say("close-up"), DoorClosed, onCloseUp],
    [say("sign-out"), LogOut, onSignOut],
    ...VIEWS.map(({ href, word, Icon }) => [word, Icon, () => router.push(href)] as const),
    ...SETTINGS_SECTIONS.map(
      ([id, words]) =>
        [say("settings-section", { section: words }), SlidersHorizontal, () => router.push(`/settings#${id}`)] as const,
    ),
  ];
  return commands.map(([words, Icon, act]) => (
    <Command.Item
      key={words}
      value={words}
      onSelect={() => {
        act();
        onDone();
      }}
      className={ITEM}
    >
      <Icon className="size-4 text-dusk" aria-hidden />
      {words}
    </Command.Item>
  ));
}
