"use client";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { File, FileQuestion, Folder, Link2 } from "lucide-react";
import { ToggleGroup } from "radix-ui";
import { type ReactNode, useEffect, useRef, useState } from "react";
import type { OnlookView, OnlookerKind } from "@eremos/server/contract";
import { useSelection } from "@/parts/folders/selection";
import { TracesLines } from "@/parts/traces/traces-line";
import { api } from "@/lib/api";
import { cn } from "@/lib/cn";
import { baseName, formatBytes, parentOf } from "@/lib/format";
import { KEYS, useFolders } from "@/lib/queries";
import { say } from "@eremos/words/page/desk";

type View = OnlookView["kinds"][number];
type Entry = View["entries"][number];

const WHO: Readonly<Record<OnlookerKind, string>> = {
  keyboard: say("at-this-keyboard"),
  "keyboard-hidden-shown": say("with-hidden-files-shown"),
  disk: say("holding-disk"),
};
const KINDS = Object.keys(WHO) as OnlookerKind[];
const MOST_SHOWN = 200;
const LEAVE_MS = 900;
const BYTES_A_ROW = 10;

/** The same place as somebody else sees it, read from the disk just now. */
export function OnlookerPane(): ReactNode {
  const { path } = useSelection();
  const folders = useFolders() ?? [];
  const [kind, setKind] = useState<OnlookerKind>("keyboard");
  const roots = useQuery({ queryKey: KEYS.roots, queryFn: api.placeRoots }).data;
  const root = roots?.find((candidate) => candidate.path === path) ?? (path === null ? roots?.[0] : undefined);
  const place = root?.path ?? (path === null ? null : parentOf(path));
  const subject = root || path === null ? null : baseName(path);
  const seen = useQuery({
    queryKey: KEYS.onlooker(place ?? "", subject),
    queryFn: () => api.onlooker(place ?? "", subject),
    enabled: place !== null,
    staleTime: 0,
    refetchInterval: 4000,
    retry: false,
    placeholderData: (previous, query) => (query?.queryKey[1] === place ? keepPreviousData(previous) : undefined),
  });
  const here = folders.filter((folder) => parentOf(folder.path) === place);
  const view = seen.data?.kinds.find((candidate) => candidate.kind === kind);
  return (
    <section aria-labelledby="onlooker" className="night flex shrink-0 flex-col bg-night text-night-ink lg:min-h-0">
      <div className="flex items-baseline gap-2.5 px-5 pt-4 pb-2">
        <h2 id="onlooker" className="text-base">
          {say("onlooker")}
        </h2>
        <span className="text-[13px] text-night-mute">{say("what-others-see-here-now")}</span>
      </div>
      <ToggleGroup.Root
        type="single"
        orientation="vertical"
        value={kind}
        onValueChange={(value) => value && setKind(value as OnlookerKind)}
        aria-label={say("who-is-looking")}
        className="flex flex-col gap-0.5 px-3"
      >
        {KINDS.map((candidate) => (
          <ToggleGroup.Item
            key={candidate}
            value={candidate}
            className={cn(
              "flex items-center justify-between gap-3 rounded-lg px-2.5 py-2 text-left text-sm hover:bg-night-raised",
              candidate === kind && "bg-night-line font-semibold hover:bg-night-line",
            )}
          >
            <span>{WHO[candidate]}</span>
            <span className={cn("truncate text-[13px]", candidate !== kind && "text-night-mute")}>
              {seen.data?.kinds.find((other) => other.kind === candidate)?.brief}
            </span>
          </ToggleGroup.Item>
        ))}
      </ToggleGroup.Root>
      {seen.error && <p className="px-5 py-4 text-sm text-night-mute">{seen.error.message}</p>}
      {view && seen.data && (
        <div className="flex min-h-0 flex-1 flex-col px-5 pt-3 pb-5">
          <p className="text-[13px] text-night-mute">
            <span className="font-medium text-night-ink">{baseName(seen.data.place)}</span>
            {say("as-read-from-disk-just")}
          </p>
          <Listing key={`${seen.data.place} ${kind}`} view={view} subject={subject} />
          <div className="pt-4" aria-live="polite">
            <p className="font-display text-[19px] leading-snug font-semibold">{view.verdict}</p>
            {view.sample && <Sample sample={view.sample} />}
            <p className="mt-2 text-[13px] leading-relaxed text-night-mute">{view.facts.join(" ")}</p>
            <TracesLines folders={here} first={path} />
          </div>
        </div>
      )}
    </section>
  );
}

const ICONS = { dir: Folder, file: File, link: Link2, other: FileQuestion } as const;

function sizeOf(entry: Entry): string {
  if (entry.size === null) return say("not-readable");
  return entry.type === "dir" ? say("items", { size: entry.size }) : formatBytes(entry.size);
}

function Listing({ view, subject }: { readonly view: View; readonly subject: string | null }): ReactNode {
  const shown = view.entries.slice(0, MOST_SHOWN);
  const leaving = useLeaving(shown, subject);
  const rows = [
    ...shown.map((entry) => ({ entry, leaving: false })),
    ...leaving.map((entry) => ({ entry, leaving: true })),
  ].sort((a, b) => (view.kind === "disk" ? 0 : a.entry.name.localeCompare(b.entry.name)));
  const more = view.more + view.entries.length - shown.length;
  return (
    <ul
      aria-label={say("listing")}
      tabIndex={0}
      className="mt-2 min-h-24 shrink overflow-y-auto rounded-xl bg-night-raised p-1.5"
    >
      {rows.length === 0 && <li className="px-2.5 py-2 text-sm text-night-mute">{say("nothing-at-all")}</li>}
      {rows.map(({ entry, leaving: gone }) => {
        const Icon = ICONS[entry.type];
        return (
          <li
            key={entry.name}
            aria-hidden={gone}
            className={cn(
              "flex items-center gap-2.5 rounded-md px-2.5 py-1 text-sm",
              entry.name === subject && "bg-night-line/70",
              gone && "animate-out fade-out slide-out-to-right-8 fill-mode-forwards duration-800",
            )}
          >
            <Icon className="size-4 shrink-0 text-night-mute" strokeWidth={1.6} aria-hidden />
            <span
              className={cn("min-w-0 flex-1 truncate", view.kind === "disk" && "text-left font-mono text-[12px]")}
              dir={view.kind === "disk" ? "rtl" : undefined}
              title={entry.name}
            >
              <bdi>{entry.name}</bdi>
            </span>
            <span className="shrink-0 text-[12px] text-night-mute tabular-nums">{sizeOf(entry)}</span>
          </li>
        );
      })}
      {more > 0 && <li className="px-2.5 py-1.5 text-[13px] text-night-mute">{say("and-more", { more })}</li>}
    </ul>
  );
}

/** The entry that is being looked at, when it was there a moment ago, for as long as it takes to see it go. */
function useLeaving(entries: readonly Entry[], subject: string | null): readonly Entry[] {
  const before = useRef<readonly Entry[]>(entries);
  const [leaving, setLeaving] = useState<readonly Entry[]>([]);
  useEffect(() => {
    const gone = before.current.filter(
      (entry) => entry.name === subject && !entries.some((now) => now.name === entry.name),
    );
    before.current = entries;
    if (gone.length > 0) setLeaving(gone);
  }, [entries, subject]);
  useEffect(() => {
    if (leaving.length === 0) return undefined;
    const timer = setTimeout(() => setLeaving([]), LEAVE_MS);
    return () => clearTimeout(timer);
  }, [leaving]);
  return leaving.filter((entry) => !entries.some((now) => now.name === entry.name));
}

function Sample({ sample }: { readonly sample: NonNullable<View["sample"]> }): ReactNode {
  const rows = sample.hex.match(new RegExp(`.{1,${2 * BYTES_A_ROW}}`, "g")) ?? [];
  return (
    <figure className="mt-3 rounded-lg bg-night-raised px-3 py-2">
      <figcaption className="truncate text-[12px] text-night-mute" title={sample.name}>
        {say("bytes", { name: baseName(sample.name) })}
      </figcaption>
      <pre className="mt-1 overflow-hidden font-mono text-[11px] leading-relaxed text-night-mute">
        {rows
          .map(
            (row, i) =>
              `${(row.match(/../g) ?? []).join(" ")}  ${sample.text.slice(i * BYTES_A_ROW, (i + 1) * BYTES_A_ROW)}`,
          )
          .join("\n")}
      </pre>
    </figure>
  );
}
