"use client";
import { useQuery } from "@tanstack/react-query";
import { HttpRangeReader, ZipReader } from "@zip.js/zip.js";
import { type ReactNode, useEffect } from "react";
import { count, formatBytes } from "@/lib/format";

const MOST_SHOWN = 1000;

/** The names in an archive, from its table alone: nothing is unpacked. */
export function ZipPreview({ url, onError }: { readonly url: string; readonly onError: () => void }): ReactNode {
  const { data, error } = useQuery({ queryKey: ["archive", url], gcTime: 0, retry: false, queryFn: () => new ZipReader(new HttpRangeReader(url)).getEntries() });
  useEffect(() => {
    if (error) onError();
  }, [error, onError]);
  if (!data) return null;
  return (
    <>
      <p className="mb-2 text-[13px] text-mute">{count(data.length, "entry", "entries")} in this archive</p>
      <ul className="divide-y divide-line/60 text-[13px]">
        {data.slice(0, MOST_SHOWN).map((entry) => <li key={entry.filename} className="flex justify-between gap-4 py-1"><span className="min-w-0 truncate" title={entry.filename}>{entry.filename}</span><span className="shrink-0 text-mute tabular-nums">{entry.directory ? "" : formatBytes(entry.uncompressedSize)}</span></li>)}
      </ul>
      {data.length > MOST_SHOWN && <p className="mt-2 text-[13px] text-mute">And {data.length - MOST_SHOWN} more.</p>}
    </>
  );
}
