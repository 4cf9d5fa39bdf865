"use client";
import { isEncrypting } from "@eremos/core/guards";
import { useQuery } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import type { CopyView, FoundFolder } from "@eremos/server/contract";
import { ApiError, api } from "@/lib/api";
import { formatBytes } from "@/lib/format";
import { useVerb } from "@/lib/queries";
import { Button } from "@/ui/button";
import { Dialog } from "@/ui/dialog";
import { Time } from "@/ui/time";
import { say } from "@eremos/words/page/compare";

/** Two copies of one folder: which is newer, and what of the other is to be taken into it. */
export function CompareCopy({ found }: { readonly found: FoundFolder }): ReactNode {
  if (found.relation !== "copy" || found.guard === null || !isEncrypting({ guard: found.guard })) return null;
  return <Compare title={say("two-copies-one-folder")} path={found.path} fork={null} />;
}

interface CompareProps {
  readonly title: string;
  readonly path: string;
  /** A state of another computer in the folder itself; null: a second copy lies there. */
  readonly fork: string | null;
}

/** Compares with the folder in the list, and takes what is chosen. */
export function Compare({ title, path, fork }: CompareProps): ReactNode {
  const [isOpen, setOpen] = useState(false);
  return (
    <>
      <Button size="small" tone="dusk" onClick={() => setOpen(true)}>
        {say("compare")}
      </Button>
      <Dialog open={isOpen} onOpenChange={setOpen} title={title} description={path}>
        {isOpen && <Comparison path={path} fork={fork} onDone={() => setOpen(false)} />}
      </Dialog>
    </>
  );
}

function Comparison({ path, fork, onDone }: Omit<CompareProps, "title"> & { readonly onDone: () => void }): ReactNode {
  const what = fork === null ? say("this-copy") : say("other-computers");
  const { data: view, error } = useQuery({
    queryKey: ["copy", path, fork],
    queryFn: () => api.compareCopies(path, fork),
    staleTime: 0,
    gcTime: 0,
    retry: false,
  });
  const [left, setLeft] = useState<ReadonlySet<string>>(new Set());
  const chosen = view?.differences.filter(({ id }) => !left.has(id)) ?? [];
  const take = useVerb(async () => {
    await api.takeFromCopy(
      path,
      fork,
      chosen.map(({ id }) => id),
    );
    onDone();
  });
  if (error)
    return (
      <p role="alert" className="mt-4 text-sm text-oxblood">
        {error instanceof ApiError ? error.message : say("that-did-not-work-nothing")}
      </p>
    );
  if (!view) return <p className="mt-4 text-sm text-mute">{say("reading-both")}</p>;
  return (
    <div className="mt-4 space-y-4 text-sm">
      {fork === null && <p>{whichIsNewer(view)}</p>}
      {view.problems.map((problem) => (
        <p key={problem} className="text-oxblood">
          {problem}
        </p>
      ))}
      {view.differences.length === 0 ? (
        <p>
          {fork === null
            ? say("this-copy-has-nothing-that", { name: view.name })
            : say("other-computers-state-has-nothing", { name: view.name })}
        </p>
      ) : (
        <>
          <Differing view={view} what={what} left={left} onLeft={setLeft} />
          {view.isCut && <p className="text-mute">{say("there-are-more-take-these")}</p>}
          <p className="text-[13px] text-mute">{say("nothing-is-replaced-where-it", { name: view.name })}</p>
        </>
      )}
      <div className="flex justify-end gap-2">
        <Button onClick={onDone}>{say("close")}</Button>
        {view.differences.length > 0 && (
          <Button tone="dusk" disabled={chosen.length === 0 || take.pending} onClick={() => take.run()}>
            {say("take-files-into", { chosen: chosen.length, name: view.name })}
          </Button>
        )}
      </div>
    </div>
  );
}

interface DifferingProps {
  readonly view: CopyView;
  readonly what: string;
  /** What is not to be taken, by its id. */
  readonly left: ReadonlySet<string>;
  readonly onLeft: (left: ReadonlySet<string>) => void;
}

function Differing({ view, what, left, onLeft }: DifferingProps): ReactNode {
  return (
    <ul
      aria-label={say("what-has", { what })}
      className="max-h-64 divide-y divide-line/70 overflow-y-auto rounded-xl border border-line bg-sheet"
    >
      {view.differences.map(({ id, shown, kind, size, modifiedAt }) => (
        <li key={id}>
          <label className="flex items-center gap-3 px-3 py-2">
            <input
              type="checkbox"
              className="size-4 accent-dusk"
              checked={!left.has(id)}
              onChange={() => onLeft(new Set(left.has(id) ? [...left].filter((one) => one !== id) : [...left, id]))}
            />
            <span className="min-w-0 flex-1">
              <span className="block truncate font-medium" title={shown}>
                {shown}
              </span>
              <span className="text-[13px] text-mute">
                {say("otherwise-in-changed", {
                  isOnlyHere: kind === "only-here",
                  what,
                  name: view.name,
                  size: formatBytes(size),
                })}{" "}
                <Time at={modifiedAt} />
              </span>
            </span>
          </label>
        </li>
      ))}
    </ul>
  );
}

function whichIsNewer({ name, generation, ofOriginal }: CopyView): string {
  if (generation === null || ofOriginal === null)
    return say("index-cant-be-read-so", { generation: generation === null ? say("this-copy") : name });
  if (generation === ofOriginal) return say("both-were-locked-times-where", { generation });
  return generation > ofOriginal
    ? say("this-copy-is-newer-it", { generation, name, ofOriginal })
    : say("this-copy-is-older-it", { generation, name, ofOriginal });
}
