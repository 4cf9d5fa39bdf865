"use client";
import { useQuery } from "@tanstack/react-query";
import { ArrowLeft, ChevronRight, FolderPlus, HardDrive, History, Search, Undo2, Upload } from "lucide-react";
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
import { Preview } from "./preview";
import { Selected } from "./selected";
import { type UploadState, useUploads } from "./uploads";
import { useChange, useEntries } from "./use-visit";
import { MainAction } from "@/parts/folders/main-action";
import { api } from "@/lib/api";
import { useNow } from "@/lib/countdown";
import { duration } from "@/lib/format";
import { KEYS, useVerb } from "@/lib/queries";
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
  readonly setShown: (shown: VisitEntry | null) => void;
  /** To another directory: nothing is chosen or searched there. */
  readonly go: (href: string) => void;
}

function useWhere(): Where {
  const [href, setHref] = useState("/");
  const [search, setSearch] = useState("");
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const [shown, setShown] = useState<VisitEntry | null>(null);
  const go = (to: string): void => {
    setHref(to);
    setSearch("");
    setChosen(new Set());
    setShown(null);
  };
  return { href, search, chosen, shown, setSearch, setChosen, setShown, go };
}

function Visiting({ folder, visit }: VisitingProps): ReactNode {
  const { href, search, chosen, shown, setSearch, setChosen, setShown, go } = useWhere();
  const [moving, setMoving] = useState<readonly string[]>([]);
  const { reply, error } = useEntries(folder.id, href, search);
  const change = useChange(folder.id);
  const uploads = useUploads(folder.id);
  const { getRootProps, getInputProps, isDragActive } = useDropzone({
    noClick: true,
    noKeyboard: true,
    onDrop: (files) => uploads.send(href, files),
  });
  const open = (entry: VisitEntry): void => (entry.kind === "dir" ? go(entry.href) : setShown(entry));
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
      />
      {folder.drops > 0 && <Arrived folder={folder.id} drops={folder.drops} change={change} />}
      {moving.length > 0 && <Moving hrefs={moving} into={href} change={change} onDone={() => setMoving([])} />}
      {chosen.size > 0 && moving.length === 0 && (
        <Selected
          hrefs={[...chosen]}
          entries={entries}
          folder={folder.id}
          contents={visit.contents}
          change={change}
          onMove={() => setMoving([...chosen])}
          onDone={() => setChosen(new Set())}
        />
      )}
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
              entries={entries}
              isLoading={!reply}
              isSearch={search !== ""}
              current={current?.href ?? null}
              chosen={chosen}
              onChoose={setChosen}
              onOpen={open}
              onShow={setShown}
            />
          )}
          <p className="border-t border-line px-6 py-1.5 text-[13px] text-mute">
            {reply && entriesWords(reply, href, search, folder.name)}
          </p>
        </section>
        {current && (
          <Preview
            key={current.href}
            entry={current}
            contents={visit.contents}
            onClose={() => setShown(null)}
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
  const end = useVerb(() => api.endVisit(folder.id));
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
      <Button tone="dusk" disabled={end.pending} onClick={() => end.run()}>
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
}

function Toolbar({ href, folder, search, undoable, change, onGo, onSearch, onFiles }: ToolbarProps): ReactNode {
  const [naming, setNaming] = useState(false);
  const [earlier, setEarlier] = useState(false);
  const picker = useRef<HTMLInputElement>(null);
  return (
    <div className="flex flex-wrap items-center gap-2 border-y border-line bg-sheet px-6 py-2">
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
      <Button onClick={() => setNaming(true)}>
        <FolderPlus className="size-4" aria-hidden />
        {say("new-folder")}
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
      <EarlierDialog folder={folder.id} change={change} open={earlier} onOpenChange={setEarlier} />
      <NameDialog
        open={naming}
        onOpenChange={setNaming}
        title={say("new-folder")}
        action={say("make-it")}
        initial=""
        onName={(name) => change.run({ kind: "make-directory", href: childHref(href, name) })}
      />
    </div>
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
