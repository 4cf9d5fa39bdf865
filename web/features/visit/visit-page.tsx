"use client";
import { useQuery } from "@tanstack/react-query";
import { ArrowLeft, ChevronRight, FilePlus, FolderPlus, HardDrive, History, Search, Undo2, Upload } from "lucide-react";
import Link from "next/link";
import { type ReactNode, type SyntheticEvent, useRef, useState } from "react";
import { useDropzone } from "react-dropzone";
import type { FolderView, VisitEntry, VisitReply, VisitView } from "@eremos/server/contract";
import { Arrived } from "./arrived";
import { DriveDialog } from "./drive-dialog";
import { EarlierDialog } from "./earlier-dialog";
import { childHref, lastName, parentHref, wayTo } from "./hrefs";
import { Listing } from "./listing";
import { NameDialog } from "./name-dialog";
import { Opened } from "./opened";
import { Preview } from "./preview";
import { Selected } from "./selected";
import { type UploadState, useUploads } from "./uploads";
import { makeText } from "./text-file";
import { useChange, useEntries } from "./use-visit";
import { useActs } from "@/parts/folders/acts-provider";
import { MainAction } from "@/parts/folders/main-action";
import { api } from "@/lib/api";
import { useNow } from "@/lib/countdown";
import { duration } from "@/lib/format";
import { KEYS, showError } from "@/lib/queries";
import { Button } from "@/ui/button";
import { ProgressBar } from "@/ui/progress-bar";
import { say } from "@eremos/words/page/visit";

export function VisitPage({ id }: { readonly id: string }): ReactNode {
  const folders = useQuery({ queryKey: KEYS.folders, queryFn: api.folders });
  const folder = folders.data?.find((candidate) => candidate.id === id);
  if (!folders.data) return <div aria-busy="true" />;
  if (!folder)
    return (
      <main className="p-10">
        <h1 className="text-2xl">{say("this-folder-is-not-protected")}</h1>
        <Link href="/" className="mt-4 inline-block font-semibold text-dusk underline underline-offset-4">
          {say("back-desk")}
        </Link>
      </main>
    );
  return folder.visit ? (
    <Visiting key={folder.visit.contents} folder={folder} visit={folder.visit} />
  ) : (
    <NoVisit folder={folder} />
  );
}

function NoVisit({ folder }: { readonly folder: FolderView }): ReactNode {
  return (
    <main className="max-w-xl p-10">
      <BackLink folder={folder} />
      <h1 className="mt-3 text-2xl">{say("is-not-being-visited", { name: folder.name })}</h1>
      <p className="mt-2 mb-5 text-mute">{say("visit-has-ended-what-was", { state: folder.state })}</p>
      <div className="flex gap-2">
        <MainAction folder={folder} size="large" />
      </div>
    </main>
  );
}

function BackLink({ folder }: { readonly folder: FolderView }): ReactNode {
  return (
    <Link
      href={`/folders/${folder.id}`}
      className="inline-flex items-center gap-1.5 text-sm font-medium text-dusk hover:underline"
    >
      <ArrowLeft className="size-4" aria-hidden />
      {folder.name}
    </Link>
  );
}

interface VisitingProps {
  readonly folder: FolderView;
  readonly visit: VisitView;
}

const keep = (event: SyntheticEvent): void => event.stopPropagation();
const KEPT_HERE = { onDrop: keep, onDragEnter: keep, onDragOver: keep };

interface Where {
  readonly href: string;
  readonly search: string;
  readonly chosen: ReadonlySet<string>;
  /** The one that is previewed. */
  readonly shown: VisitEntry | null;
  readonly setSearch: (search: string) => void;
  readonly setChosen: (chosen: ReadonlySet<string>) => void;
  /** It is a text that was just made, to be written. */
  readonly isNew: boolean;
  readonly show: (shown: VisitEntry | null, isNew?: boolean) => void;
  /** To another directory: nothing is chosen or searched there. */
  readonly go: (href: string) => void;
}

function useWhere(): Where {
  const [href, setHref] = useState("/");
  const [search, setSearch] = useState("");
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const [shown, setShown] = useState<VisitEntry | null>(null);
  const [isNew, setNew] = useState(false);
  const show = (entry: VisitEntry | null, isMade = false): void => {
    setShown(entry);
    setNew(isMade);
  };
  const go = (to: string): void => {
    setHref(to);
    setSearch("");
    setChosen(new Set());
    show(null);
  };
  return { href, search, chosen, shown, isNew, setSearch, setChosen, show, go };
}

function Visiting({ folder, visit }: VisitingProps): ReactNode {
  const { href, search, chosen, shown, isNew, setSearch, setChosen, show, go } = useWhere();
  const [moving, setMoving] = useState<readonly string[]>([]);
  const { reply, error } = useEntries(folder.id, href, search);
  const change = useChange(folder.id);
  const uploads = useUploads(folder.id);
  const { getRootProps, getInputProps, isDragActive } = useDropzone({
    noClick: true,
    noKeyboard: true,
    onDrop: (files) => uploads.send(href, files),
  });
  const write = (text: VisitEntry): void => (show(text, true), void change.refresh());
  const open = (entry: VisitEntry): void => (entry.kind === "dir" ? go(entry.href) : show(entry));
  const entries = reply?.entries ?? [];
  const current = shown && entries.find((entry) => entry.href === shown.href);
  return (
    // What is dropped here goes into the folder, and no further.
    <main {...getRootProps({ role: "main", ...KEPT_HERE })} className="relative flex h-full flex-col">
      <input {...getInputProps()} aria-label={say("files-put-in")} />
      <Head folder={folder} visit={visit} />
      <Toolbar
        href={href}
        folder={folder}
        search={search}
        onGo={go}
        onSearch={setSearch}
        undoable={visit.undoable}
        change={change}
        onFiles={(files) => uploads.send(href, files)}
        onText={(name) => void makeText(folder.id, childHref(href, name)).then(write, showError)}
      />
      {folder.drops > 0 && <Arrived folder={folder.id} drops={folder.drops} change={change} />}
      {moving.length > 0 && <Moving hrefs={moving} into={href} change={change} onDone={() => setMoving([])} />}
      {chosen.size > 0 && moving.length === 0 && (
        <Selected
          {...{ hrefs: [...chosen], entries, folder: folder.id, contents: visit.contents, change }}
          onMove={() => setMoving([...chosen])}
          onDone={() => setChosen(new Set())}
        />
      )}
      <Opened visit={visit} />
      {uploads.state && <Uploading {...uploads.state} />}
      <div className="flex min-h-0 flex-1">
        <section aria-label={say("contents")} className="flex min-w-0 flex-1 flex-col">
          {error ? (
            <p role="alert" className="p-6 text-sm text-oxblood">
              {error.message}
            </p>
          ) : (
            <Listing
              key={href}
              {...{ entries, chosen, isLoading: !reply, isSearch: search !== "", current: current?.href ?? null }}
              onChoose={setChosen}
              onOpen={open}
              onShow={show}
            />
          )}
          <p className="border-t border-line px-6 py-1.5 text-[13px] text-mute">
            {reply && entriesWords(reply, href, search, folder.name)}
          </p>
        </section>
        {current && (
          <Preview
            key={current.href}
            folder={folder.id}
            isNew={isNew}
            onShow={(to) => show({ ...current, href: to, name: lastName(to) })}
            entry={current}
            contents={visit.contents}
            hasPrograms={visit.mount !== "no"}
            onClose={() => show(null)}
            onGo={() => go(parentHref(current.href))}
            isFound={search !== ""}
          />
        )}
      </div>
      {isDragActive && <DropHint />}
    </main>
  );
}

function entriesWords({ entries, isCut }: VisitReply, href: string, search: string, folder: string): string {
  if (search === "") return say("entries-2", { entries: entries.length });
  return say("names-found-below-and-more", {
    entries: entries.length,
    href: href === "/" ? folder : lastName(href),
    isCut,
  });
}

function Uploading({ name, done, total, part, cancel }: UploadState): ReactNode {
  return (
    <div className="flex items-center gap-4 border-b border-line px-6 py-2 text-sm" role="status">
      <span className="min-w-0 flex-1 truncate">
        {say("putting-in", { name, hasTotal: total > 1, done: done + 1, total })}
      </span>
      <span className="w-56">
        <ProgressBar part={part} label={say("putting-files-in")} />
      </span>
      <Button size="small" onClick={cancel}>
        {say("stop")}
      </Button>
    </div>
  );
}

function DropHint(): ReactNode {
  return (
    <div className="pointer-events-none absolute inset-3 z-30 grid place-content-center rounded-2xl border-2 border-dashed border-dusk bg-paper/95 text-center">
      <span className="font-display text-2xl font-semibold">{say("drop-it-put-it-in")}</span>
      <span className="mt-1 block text-sm text-mute">{say("it-is-encrypted-as-it")}</span>
    </div>
  );
}

function Head({ folder, visit }: VisitingProps): ReactNode {
  const [drive, setDrive] = useState(false);
  const { run, pending } = useActs();
  const now = useNow(1000, visit.endsAt !== null);
  const left = visit.endsAt === null ? null : Math.max(0, (visit.endsAt - now) / 1000);
  return (
    <header className="flex flex-wrap items-center gap-x-4 gap-y-2 px-6 pt-4 pb-3">
      <div className="min-w-0 flex-1">
        <BackLink folder={folder} />
        <h1 className="truncate text-xl">{say("visiting", { name: folder.name })}</h1>
        <p className="text-[13px] text-mute">
          {say("nothing-it-is-decrypted-on", { noLeft: left === null, left: left === null ? "" : duration(left) })}
        </p>
      </div>
      <Button onClick={() => setDrive(true)}>
        <HardDrive className="size-4" aria-hidden />
        {say("use-it-as-drive")}
      </Button>
      <Button tone="dusk" disabled={pending} onClick={() => run("end-visit", [folder])}>
        {say("end-visit")}
      </Button>
      <DriveDialog visit={visit} open={drive} onOpenChange={setDrive} />
    </header>
  );
}

interface ToolbarProps {
  readonly href: string;
  readonly folder: FolderView;
  readonly search: string;
  readonly undoable: number;
  readonly change: ReturnType<typeof useChange>;
  readonly onGo: (href: string) => void;
  readonly onSearch: (name: string) => void;
  readonly onFiles: (files: readonly File[]) => void;
  /** A new text by that name. */
  readonly onText: (name: string) => void;
}

function Toolbar({ href, folder, search, undoable, change, onGo, onSearch, onFiles, onText }: ToolbarProps): ReactNode {
  const [naming, setNaming] = useState<"folder" | "text" | null>(null);
  const [earlier, setEarlier] = useState(false);
  const picker = useRef<HTMLInputElement>(null);
  return (
    <div className="flex flex-wrap items-center gap-2 border-y border-line bg-sheet px-6 py-2">
      <Way href={href} folder={folder} onGo={onGo} />
      <label className="flex h-9 items-center gap-2 rounded-lg border border-line bg-paper px-2.5">
        <Search className="size-4 text-mute" aria-hidden />
        <input
          type="search"
          value={search}
          onChange={(event) => onSearch(event.target.value)}
          placeholder={say("find-name")}
          aria-label={say("find-name-in-it")}
          className="w-36 bg-transparent text-sm outline-none placeholder:text-mute"
        />
      </label>
      <Button onClick={() => setNaming("folder")}>
        <FolderPlus className="size-4" aria-hidden />
        {say("new-folder")}
      </Button>
      <Button onClick={() => setNaming("text")}>
        <FilePlus className="size-4" aria-hidden />
        {say("new-text-file")}
      </Button>
      <Button onClick={() => picker.current?.click()}>
        <Upload className="size-4" aria-hidden />
        {say("put-files-in")}
      </Button>
      <input
        ref={picker}
        type="file"
        multiple
        hidden
        aria-label={say("files-from-this-computer")}
        onChange={(event) => {
          onFiles([...(event.target.files ?? [])]);
          event.target.value = "";
        }}
      />
      <Button onClick={() => setEarlier(true)}>
        <History className="size-4" aria-hidden />
        {say("as-it-was")}
      </Button>
      <Button disabled={undoable === 0 || change.pending} onClick={() => change.run({ kind: "undo" })}>
        <Undo2 className="size-4" aria-hidden />
        {say("undo")}
      </Button>
      <Naming
        what={naming}
        onWhat={setNaming}
        onFolder={(name) => change.run({ kind: "make-directory", href: childHref(href, name) })}
        onText={onText}
      />
      <EarlierDialog folder={folder.id} change={change} open={earlier} onOpenChange={setEarlier} />
    </div>
  );
}

/** Where one is in it, and the way back up. */
function Way({ href, folder, onGo }: Pick<ToolbarProps, "href" | "folder" | "onGo">): ReactNode {
  return (
    <nav aria-label={say("where-you-are-in-it")} className="flex min-w-0 flex-1 items-center overflow-hidden text-sm">
      {["/", ...wayTo(href)].map((at, i, all) => (
        <span key={at} className="flex min-w-0 items-center">
          {i > 0 && <ChevronRight className="size-4 shrink-0 text-mute" aria-hidden />}
          <button
            type="button"
            aria-current={i === all.length - 1 ? "location" : undefined}
            onClick={() => onGo(at)}
            className="truncate rounded-md px-1.5 py-1 font-medium hover:bg-sand aria-[current]:font-semibold"
          >
            {at === "/" ? folder.name : lastName(at)}
          </button>
        </span>
      ))}
    </nav>
  );
}

interface NamingProps {
  readonly what: "folder" | "text" | null;
  readonly onWhat: (what: null) => void;
  readonly onFolder: (name: string) => void;
  readonly onText: (name: string) => void;
}

/** The name of what is to be made. */
function Naming({ what, onWhat, onFolder, onText }: NamingProps): ReactNode {
  return (
    <NameDialog
      open={what !== null}
      onOpenChange={(open) => !open && onWhat(null)}
      title={what === "text" ? say("new-text-file") : say("new-folder")}
      action={say("make-it")}
      initial={what === "text" ? say("its-name-with-ending") : ""}
      onName={what === "text" ? onText : onFolder}
    />
  );
}

interface MovingProps {
  readonly hrefs: readonly string[];
  readonly into: string;
  readonly change: ReturnType<typeof useChange>;
  readonly onDone: () => void;
}

/** Between taking entries up and putting them down somewhere else in the folder. */
function Moving({ hrefs, into, change, onDone }: MovingProps): ReactNode {
  const putDown = (): void => {
    const above = into === "/" ? "" : into;
    const moves = hrefs.map((href) => ({ href, to: `${above}${href.slice(href.lastIndexOf("/"))}` }));
    change.run({ kind: "move", moves }, onDone);
  };
  const isHere = hrefs.every((href) => parentHref(href) === into);
  return (
    <div className="flex items-center gap-3 border-b border-line bg-dusk-soft px-6 py-2 text-sm" role="status">
      <span className="min-w-0 flex-1 truncate">
        {say("moving-go-where-they-belong", {
          hrefs: hrefs.length === 1 ? lastName(hrefs[0] ?? "") : say("entries", { hrefs: hrefs.length }),
          count: hrefs.length,
        })}
      </span>
      <Button size="small" tone="dusk" disabled={isHere || change.pending} onClick={putDown}>
        {say("put-here")}
      </Button>
      <Button size="small" onClick={onDone}>
        {say("leave-as-it-is")}
      </Button>
    </div>
  );
}
