"use client";
import { usePathname, useRouter } from "next/navigation";
import { type ReactNode, useState } from "react";
import { useDropzone } from "react-dropzone";
import { toast } from "sonner";
import type { Dropped, FolderView } from "@eremos/server/contract";
import { actsOf } from "@/parts/folders/acts";
import { useSelection } from "@/parts/folders/selection";
import { ApiError, api } from "@/lib/api";
import { useFolders } from "@/lib/queries";
import { Dialog } from "@/ui/dialog";
import { say } from "@eremos/words/page/desk";

/** So much of a listing tells one folder from another. */
const MOST_ENTRIES = 150;
const SIZES_COMPARED = 20;

/**
 * What is dropped from the file manager anywhere on the page. The browser hides paths, so Eremos finds each on the disk
 * by its name and listing, and asks where two match. Nothing of its contents is read or sent.
 */
export function DropTarget({ children }: { readonly children: ReactNode }): ReactNode {
  const { protect, protectAll, moveInto, select, receive } = useSelection();
  const router = useRouter();
  const isReceiving = usePathname() === "/hand-over";
  const folders = useFolders();
  const [matches, setMatches] = useState<readonly string[] | null>(null);
  const choose = (path: string): void => {
    setMatches(null);
    if (isReceiving) return receive(path);
    const known = folders?.find((folder) => folder.path === path || folder.realPath === path);
    if (known) return router.push(`/folders/${known.id}`);
    router.push("/");
    select(path);
    protect(path);
  };
  /** `into`: the id of the folder on whose card they were dropped; null: beside them. */
  const take = async (entries: readonly FileSystemEntry[], into: string | null): Promise<void> => {
    const found = await Promise.all(entries.map(find));
    const [paths = []] = found;
    const [first] = paths;
    if (entries.length === 1 && into === null) {
      if (paths.length > 1) setMatches(paths);
      else if (first !== undefined) choose(first);
      return;
    }
    // Which of two it is can't be guessed: nobody's folder is locked by mistake.
    found.forEach((matching, i) => {
      if (matching.length > 1)
        toast.error(say("is-there-twice", { name: entries[i]?.name ?? "" }), { duration: 12_000 });
    });
    const sure = found.flatMap((matching) => (matching.length === 1 ? matching : []));
    if (sure.length === 0) return;
    if (into !== null) return moveInto({ folder: into, paths: sure });
    router.push("/");
    protectAll(sure);
  };
  const { getRootProps, isDragActive } = useDropzone({
    noClick: true,
    noKeyboard: true,
    getFilesFromEvent: (event) => {
      const entries = "dataTransfer" in event && event.type === "drop" ? entriesIn(event.dataTransfer) : [];
      if (entries.length > 0) void take(entries, lockedAt("target" in event ? event.target : null, folders ?? []));
      return Promise.resolve([]);
    },
  });
  return (
    <div {...getRootProps({ role: "presentation" })} className="contents">
      {children}
      {isDragActive && (
        <div className="pointer-events-none fixed inset-0 z-40 grid place-items-center bg-paper/95 p-4">
          <p className="grid size-full place-content-center rounded-2xl border-2 border-dashed border-dusk text-center">
            <span className="block font-display text-2xl font-semibold">
              {isReceiving ? say("drop-it-receive-it") : say("drop-it-protect-it")}
            </span>
            <span className="mt-1 block text-sm text-mute">
              {isReceiving ? say("package-or-zip-nothing") : say("folder-or-single-file-nothing")}
            </span>
          </p>
        </div>
      )}
      <Which matches={matches} onChoose={choose} onClose={() => setMatches(null)} />
    </div>
  );
}

/** Where it may lie on this disk; nowhere, with a word about it, where that can't be told. */
async function find(entry: FileSystemEntry): Promise<readonly string[]> {
  const note = toast.loading(say("looking-for-on-this-disk", { name: entry.name }));
  try {
    const { paths, complete } = await api.findDropped(await describe(entry));
    if (paths.length === 0)
      toast.error(say("was-not-found-in-places", { name: entry.name, isComplete: complete }), {
        id: note,
        duration: 12_000,
      });
    else toast.dismiss(note);
    return paths;
  } catch (error) {
    toast.error(error instanceof ApiError ? error.message : say("could-not-be-read-by", { name: entry.name }), {
      id: note,
      duration: 12_000,
    });
    return [];
  }
}

interface WhichProps {
  readonly matches: readonly string[] | null;
  readonly onChoose: (path: string) => void;
  readonly onClose: () => void;
}

function Which({ matches, onChoose, onClose }: WhichProps): ReactNode {
  return (
    <Dialog
      open={matches !== null}
      onOpenChange={(open) => !open && onClose()}
      title={say("which-one-is-it")}
      description={say("more-than-one-on-this")}
    >
      <ul className="mt-4 space-y-2">
        {matches?.map((path) => (
          <li key={path}>
            <button
              type="button"
              onClick={() => onChoose(path)}
              className="w-full rounded-lg border border-line bg-sheet px-4 py-2.5 text-left text-sm break-all hover:border-dusk"
            >
              {path}
            </button>
          </li>
        ))}
      </ul>
    </Dialog>
  );
}

/** The folder that takes files without being opened, on whose card or entry something was dropped. */
function lockedAt(target: EventTarget | null, folders: readonly FolderView[]): string | null {
  const id = target instanceof Element ? target.closest<HTMLElement>("[data-folder]")?.dataset["folder"] : undefined;
  const folder = folders.find((one) => one.id === id);
  return folder && actsOf(folder).includes("move-in") ? folder.id : null;
}

function entriesIn(transfer: DataTransfer | null): FileSystemEntry[] {
  return [...(transfer?.items ?? [])].flatMap((item) => item.webkitGetAsEntry() ?? []);
}

async function describe(entry: FileSystemEntry): Promise<Dropped> {
  if (!isDirectory(entry))
    return { name: entry.name, type: "file", size: await sizeOf(entry), entries: [], complete: true };
  const inside = await listingOf(entry);
  const entries = await Promise.all(
    inside.slice(0, MOST_ENTRIES).map(async (one, i) => ({
      name: one.name,
      type: isDirectory(one) ? ("dir" as const) : ("file" as const),
      size: isDirectory(one) || i >= SIZES_COMPARED ? null : await sizeOf(one),
    })),
  );
  return { name: entry.name, type: "dir", size: null, entries, complete: inside.length <= MOST_ENTRIES };
}

function isDirectory(entry: FileSystemEntry): entry is FileSystemDirectoryEntry {
  return entry.isDirectory;
}

/** A reader gives a part at a time, and nothing when it has come to the end. */
async function listingOf(directory: FileSystemDirectoryEntry): Promise<FileSystemEntry[]> {
  const reader = directory.createReader();
  const all: FileSystemEntry[] = [];
  for (;;) {
    const part = await new Promise<FileSystemEntry[]>((resolve, reject) => reader.readEntries(resolve, reject));
    if (part.length === 0) return all;
    all.push(...part);
    if (all.length > MOST_ENTRIES) return all;
  }
}

/** Null where the browser may not read it. */
async function sizeOf(entry: FileSystemEntry): Promise<number | null> {
  return new Promise((resolve) =>
    (entry as FileSystemFileEntry).file(
      (file) => resolve(file.size),
      () => resolve(null),
    ),
  );
}
