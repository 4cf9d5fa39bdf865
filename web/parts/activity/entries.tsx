"use client";
import { useVirtualizer } from "@tanstack/react-virtual";
import {
  CircleCheck,
  DoorClosed,
  DoorOpen,
  Eraser,
  LogIn,
  type LucideIcon,
  RectangleEllipsis,
  Settings,
  TriangleAlert,
} from "lucide-react";
import Link from "next/link";
import { type ReactNode, useEffect, useState } from "react";
import type { ActivityView } from "@eremos/server/contract";
import { cn } from "@/lib/cn";
import { exactTime } from "@/lib/format";
import { useFolders } from "@/lib/queries";
import { Button } from "@/ui/button";
import { type Sought, filterOf } from "./sought";
import { useActivity } from "./use-activity";
import { say } from "@eremos/words/page/activity";

const ROW_PX = 58;

interface EntriesProps {
  readonly sought: Sought;
  /** It is plain which folder they are about. */
  readonly isOfOne: boolean;
  readonly isSeeking: boolean;
  readonly onEverything: () => void;
}

/** What happened, the newest first, however much it is. */
export function Entries({ sought, isOfOne, isSeeking, onEverything }: EntriesProps): ReactNode {
  const [scroller, setScroller] = useState<HTMLDivElement | null>(null);
  const [view, setView] = useState({ from: 0, until: 0 });
  const filter = filterOf(sought);
  const { first, entry } = useActivity(filter, view.from, view.until);
  const asked = JSON.stringify(filter);
  // Something else is looked for: from its beginning.
  useEffect(() => {
    scroller?.scrollTo({ top: 0 });
  }, [scroller, asked]);
  const total = first?.total ?? 0;
  const virtual = useVirtualizer({
    count: total,
    getScrollElement: () => scroller,
    estimateSize: () => ROW_PX,
    overscan: 10,
    onChange: ({ range }) => {
      const now = { from: range?.startIndex ?? 0, until: range?.endIndex ?? 0 };
      setView((before) => (before.from === now.from && before.until === now.until ? before : now));
    },
  });
  if (!first) return <div aria-busy="true" className="flex-1" />;
  return (
    <>
      <p role="status" className="mt-3 mb-1.5 text-[13px] text-mute">
        {say("entries-of", { total, isSome: total < first.all && !isOfOne, all: first.all })}
      </p>
      {total === 0 ? (
        <Nothing isSeeking={isSeeking} onEverything={onEverything} />
      ) : (
        <div
          ref={setScroller}
          tabIndex={0}
          role="region"
          aria-label={say("entries")}
          className="min-h-0 flex-1 overflow-y-auto rounded-xl border border-line bg-sheet"
        >
          <ol className="relative w-full" style={{ height: virtual.getTotalSize() }}>
            {virtual.getVirtualItems().map(({ index, start }) => (
              <li
                key={index}
                aria-posinset={index + 1}
                aria-setsize={total}
                className="absolute top-0 left-0 w-full border-b border-line/70"
                style={{ transform: `translateY(${start}px)`, height: ROW_PX }}
              >
                <Entry event={entry(index)} newer={entry(index - 1)} isOfOne={isOfOne} />
              </li>
            ))}
          </ol>
        </div>
      )}
    </>
  );
}

function Nothing({ isSeeking, onEverything }: Pick<EntriesProps, "isSeeking" | "onEverything">): ReactNode {
  if (!isSeeking) return <p className="text-sm text-mute">{say("nothing-yet")}</p>;
  return (
    <div className="flex flex-wrap items-center gap-3 text-sm text-mute">
      {say("nothing-fits")}
      <Button size="small" onClick={onEverything}>
        {say("show-everything")}
      </Button>
    </div>
  );
}

interface EntryProps {
  readonly event: ActivityView | undefined;
  /** The one above it. */
  readonly newer: ActivityView | undefined;
  readonly isOfOne: boolean;
}

function Entry({ event, newer, isOfOne }: EntryProps): ReactNode {
  if (!event) return <span className="block px-4 py-4 text-mute">{say("entry-loading")}</span>;
  const [Sign, tone] = signOf(event.kind);
  const day = dayOf(event.at);
  return (
    <div className="flex h-full items-center gap-3 px-3.5 text-sm sm:gap-4">
      <time
        dateTime={new Date(event.at).toISOString()}
        title={exactTime(event.at)}
        className="w-[74px] shrink-0 leading-tight text-mute sm:w-[92px]"
      >
        <span className={cn("block", newer && dayOf(newer.at) === day ? "sr-only" : "font-semibold text-ink")}>
          {day}
        </span>
        <span className="block tabular-nums">{clockOf(event.at)}</span>
      </time>
      <Sign className={cn("size-[18px] shrink-0", tone)} strokeWidth={1.75} aria-hidden />
      <span className="min-w-0 flex-1 leading-snug">
        <span className="block truncate">
          <span className={cn("font-semibold", tone === "text-ochre" && tone)}>{event.what}</span>
          {!isOfOne && event.folder !== "" && <Of event={event} />}
        </span>
        <span className="block truncate text-[13px] text-mute" title={event.how}>
          {event.how}
        </span>
      </span>
    </div>
  );
}

/** The folder, by the name it had then; where it is protected still, its page is one click away. */
function Of({ event: { folder, name } }: { readonly event: ActivityView }): ReactNode {
  const listed = useFolders()?.find(({ id }) => id === folder);
  const words = <bdi>{name || (listed?.name ?? "")}</bdi>;
  return (
    <span className="ml-2">
      {listed ? (
        <Link href={`/folders/${folder}`} className="text-dusk hover:underline">
          {words}
        </Link>
      ) : (
        words
      )}
    </span>
  );
}

const LOCALE = "en-GB";
const clockOf = (at: number): string => new Date(at).toLocaleTimeString(LOCALE, { hour: "2-digit", minute: "2-digit" });

function dayOf(at: number): string {
  const day = new Date(at);
  const isThisYear = day.getFullYear() === new Date().getFullYear();
  return day.toLocaleDateString(
    LOCALE,
    isThisYear
      ? { weekday: "short", day: "numeric", month: "short" }
      : { day: "numeric", month: "short", year: "2-digit" },
  );
}

type Signs = readonly (readonly [readonly ActivityView["kind"][], LucideIcon, string])[];
const SIGNS: Signs = [
  [["wrong", "stranger", "damaged"], TriangleAlert, "text-ochre"],
  [["opened", "reguarded", "visited", "visit-ended", "changed", "handed-over", "received"], DoorOpen, "text-clay"],
  [["locked", "recovered", "protection", "rules", "dropped", "taken-back"], DoorClosed, "text-dusk"],
  [["signed-in", "signed-out", "stay"], LogIn, "text-mute"],
  [
    ["password", "folder-password", "code", "keyholders", "new-keys", "pin", "practised"],
    RectangleEllipsis,
    "text-dusk",
  ],
  [["cleared", "removed", "erased", "overwritten", "history-cleared", "history-off"], Eraser, "text-mute"],
  [["settings", "exported", "history-on"], Settings, "text-mute"],
];

function signOf(kind: ActivityView["kind"]): readonly [LucideIcon, string] {
  const found = SIGNS.find(([kinds]) => kinds.includes(kind));
  return found ? [found[1], found[2]] : [CircleCheck, "text-dusk"];
}
