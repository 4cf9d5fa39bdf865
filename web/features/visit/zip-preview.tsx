"use client";
import { useQuery } from "@tanstack/react-query";
import { type Entry, HttpRangeReader, ZipReader } from "@zip.js/zip.js";
import { type ReactNode, useEffect } from "react";
import { formatBytes } from "@/lib/format";
import { say } from "@eremos/words/page/visit";

const MOST_SHOWN = 1000;

interface Names {
  readonly entries: readonly Entry[];
  readonly more: boolean;
}

async function namesIn(url: string): Promise<Names> {
  const entries: Entry[] = [];
  for await (const entry of new ZipReader(new HttpRangeReader(url)).getEntriesGenerator()) {
    if (entries.length === MOST_SHOWN) return { entries, more: true };
    entries.push(entry);
  }
  return { entries, more: false };
}

/** The names in an archive, from its table alone: nothing is unpacked. */
export function ZipPreview({ url, onError }: { readonly url: string; readonly onError: () => void }): ReactNode {
  const { data, error } = useQuery({
    queryKey: ["archive", url],
    gcTime: 0,
    retry: false,
    queryFn: () => namesIn(url),
  });
  useEffect(() => {
    if (error) onError();
  }, [error, onError]);
  if (!data) return null;
  return (
    <>
      <p className="mb-2 text-[13px] text-mute">
        {say("in-this-archive", {
          more: data.more
            ? say("first-entries", { mostShown: MOST_SHOWN })
            : say("entries-2", { entries: data.entries.length }),
        })}
      </p>
      <ul className="divide-y divide-line/60 text-[13px]">
        {data.entries.map((entry) => (
          <li key={entry.filename} className="flex justify-between gap-4 py-1">
            <span className="min-w-0 truncate" title={entry.filename}>
              {entry.filename}
            </span>
            <span className="shrink-0 text-mute tabular-nums">
              {entry.directory ? "" : formatBytes(entry.uncompressedSize)}
            </span>
          </li>
        ))}
      </ul>
      {data.more && <p className="mt-2 text-[13px] text-mute">{say("there-are-more-download-it")}</p>}
    </>
  );
}
