"use client";
import { isEncrypting } from "@eremos/core/guards";
import { useQuery } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import type { CopyView, FoundFolder } from "@eremos/server/contract";
import { ApiError, api } from "@/lib/api";
import { count, formatBytes } from "@/lib/format";
import { useVerb } from "@/lib/queries";
import { Button } from "@/ui/button";
import { Dialog } from "@/ui/dialog";
import { Time } from "@/ui/time";

/** Two copies of one folder: which is newer, and what of the other is to be taken into it. */
export function CompareCopy({ found }: { readonly found: FoundFolder }): ReactNode {
  if (found.relation !== "copy" || found.guard === null || !isEncrypting({ guard: found.guard })) return null;
  return <Compare title="Two copies of one folder" path={found.path} fork={null} />;
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
        Compare…
      </Button>
      <Dialog open={isOpen} onOpenChange={setOpen} title={title} description={path}>
        {isOpen && <Comparison path={path} fork={fork} onDone={() => setOpen(false)} />}
      </Dialog>
    </>
  );
}

function Comparison({ path, fork, onDone }: Omit<CompareProps, "title"> & { readonly onDone: () => void }): ReactNode {
  const what = fork === null ? "this copy" : "the other computer’s";
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
        {error instanceof ApiError ? error.message : "That did not work. Nothing was changed."}
      </p>
    );
  if (!view) return <p className="mt-4 text-sm text-mute">Reading both…</p>;
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
            ? `This copy has nothing that ${view.name} has not. It can be deleted, if you no longer want it.`
            : `The other computer’s state has nothing that ${view.name} has not. It can be let go.`}
        </p>
      ) : (
        <>
          <Differing view={view} what={what} left={left} onLeft={setLeft} />
          {view.isCut && <p className="text-mute">There are more; take these first, then compare again.</p>}
          <p className="text-[13px] text-mute">
            Nothing of {view.name} is replaced: where it has a file of the same name, the other stands beside it as
            &ldquo;… (from the copy)&rdquo;.
          </p>
        </>
      )}
      <div className="flex justify-end gap-2">
        <Button onClick={onDone}>Close</Button>
        {view.differences.length > 0 && (
          <Button tone="dusk" disabled={chosen.length === 0 || take.pending} onClick={() => take.run()}>
            Take {count(chosen.length, "file")} into {view.name}
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
      aria-label={`What ${what} has`}
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
                {kind === "only-here" ? `only in ${what}` : `otherwise in ${view.name}`} · {formatBytes(size)} · changed{" "}
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
    return `The index of ${generation === null ? "this copy" : name} can’t be read, so which of the two is newer can’t be told.`;
  if (generation === ofOriginal)
    return `Both were locked ${count(generation, "time")}. Where they differ, each has gone its own way since.`;
  return generation > ofOriginal
    ? `This copy is newer: it was locked ${count(generation, "time")}, ${name} at its place ${count(ofOriginal, "time")}.`
    : `This copy is older: it was locked ${count(generation, "time")}, ${name} at its place ${count(ofOriginal, "time")}.`;
}
