"use client";
import { useRouter } from "next/navigation";
import { type ReactNode, useState } from "react";
import { useDropzone } from "react-dropzone";
import { toast } from "sonner";
import type { Dropped } from "@eremos/server/contract";
import { useSelection } from "@/parts/folders/selection";
import { ApiError, api } from "@/lib/api";
import { useFolders } from "@/lib/queries";
import { Dialog } from "@/ui/dialog";
import { say } from "@eremos/words/page/desk";

/** So much of a listing tells one folder from another. */
const MOST_ENTRIES = 150;
const SIZES_COMPARED = 20;

/**
 * Something dropped from the file manager anywhere on the page. The browser hides its path, so Eremos finds it on the
 * disk by its name and listing, and asks where two match. Nothing of its contents is read or sent.
 */
export function DropTarget({ children }: { readonly children: ReactNode }): ReactNode {
  const { protect, select } = useSelection();
  const router = useRouter();
  const folders = useFolders();
  const [matches, setMatches] = useState<readonly string[] | null>(null);
  const choose = (path: string): void => {
    setMatches(null);
    const known = folders?.find((folder) => folder.path === path || folder.realPath === path);
    if (known) return router.push(`/folders/${known.id}`);
    router.push("/");
    select(path);
    protect(path);
  };
  const find = async (entry: FileSystemEntry): Promise<void> => {
    const note = toast.loading(say("looking-for-on-this-disk", { name: entry.name }));
    try {
      const { paths, complete } = await api.findDropped(await describe(entry));
      toast.dismiss(note);
      const [first] = paths;
      if (first === undefined)
        toast.error(say("was-not-found-in-places", { name: entry.name, isComplete: complete }), { duration: 12_000 });
      else if (paths.length === 1) choose(first);
      else setMatches(paths);
    } catch (error) {
      toast.error(error instanceof ApiError ? error.message : say("could-not-be-read-by", { name: entry.name }), {
        id: note,
        duration: 12_000,
      });
    }
  };
  const { getRootProps, isDragActive } = useDropzone({
    noClick: true,
    noKeyboard: true,
    getFilesFromEvent: (event) => {
      const [entry] = "dataTransfer" in event && event.type === "drop" ? entriesIn(event.dataTransfer) : [];
      if (entry) void find(entry);
      return Promise.resolve([]);
    },
  });
  return (
    <div {...getRootProps({ role: "presentation" })} className="contents">
      {children}
      {isDragActive && (
        <div className="pointer-events-none fixed inset-0 z-40 grid place-items-center bg-paper/95 p-4">
          <p className="grid size-full place-content-center rounded-2xl border-2 border-dashed border-dusk text-center">
            <span className="block font-display text-2xl font-semibold">{say("drop-it-protect-it")}</span>
            <span className="mt-1 block text-sm text-mute">{say("folder-or-single-file-nothing")}</span>
          </p>
        </div>
      )}
      <Dialog
        open={matches !== null}
        onOpenChange={(open) => !open && setMatches(null)}
        title={say("which-one-is-it")}
        description={say("more-than-one-on-this")}
      >
        <ul className="mt-4 space-y-2">
          {matches?.map((path) => (
            <li key={path}>
              <button
                type="button"
                onClick={() => choose(path)}
                className="w-full rounded-lg border border-line bg-sheet px-4 py-2.5 text-left text-sm break-all hover:border-dusk"
              >
                {path}
              </button>
            </li>
          ))}
        </ul>
      </Dialog>
    </div>
  );
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
