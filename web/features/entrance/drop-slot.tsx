"use client";
import { useMutation, useQuery } from "@tanstack/react-query";
import { Inbox } from "lucide-react";
import { usePathname } from "next/navigation";
import type { ReactNode } from "react";
import { useDropzone } from "react-dropzone";
import { api } from "@/lib/api";
import { cn } from "@/lib/cn";
import { sendFile } from "@/lib/send-file";
import { Button } from "@/ui/button";
import { say } from "@eremos/words/page/entrance";

/** At the gate, for whoever came from the page in a locked folder: files go in without anything being opened. */
export function DropSlot(): ReactNode {
  const folder = /^\/folders\/([0-9a-f]{32})(?:\/|$)/.exec(usePathname())?.[1] ?? null;
  const slot = useQuery({
    queryKey: ["slot", folder],
    queryFn: () => api.slot(folder ?? ""),
    enabled: folder !== null,
    retry: false,
  });
  const put = useMutation({ mutationFn: (files: readonly File[]) => putAll(folder ?? "", files) });
  const { getRootProps, getInputProps, isDragActive, open } = useDropzone({
    noClick: true,
    noKeyboard: true,
    onDrop: (files) => files.length > 0 && put.mutate(files),
  });
  if (!slot.data?.takes) return null;
  return (
    <section aria-labelledby="drop-slot" className="mt-8 border-t border-line pt-6">
      <h2 id="drop-slot" className="font-sans text-[15px] font-semibold">
        {say("or-put-files-in-without")}
      </h2>
      <div
        {...getRootProps({ role: "presentation" })}
        className={cn(
          "mt-2 flex items-center gap-3 rounded-xl border-2 border-dashed border-line-strong px-4 py-4 text-sm",
          isDragActive && "border-dusk bg-dusk-soft",
        )}
      >
        <input {...getInputProps()} aria-label={say("files-put-in")} />
        <Inbox className="size-5 shrink-0 text-dusk" aria-hidden />
        <span className="flex-1">{say("drop-files-here-or-choose")}</span>
        <Button size="small" disabled={put.isPending} onClick={open}>
          {say("choose-files")}
        </Button>
      </div>
      <p role="status" className="mt-2 min-h-5 text-[13px]">
        {put.isPending && <span className="text-mute">{say("putting-them-in")}</span>}
        {put.isSuccess && (
          <span className="text-dusk">{say("files-are-in-encrypted-originals", { data: put.data })}</span>
        )}
        {put.isError && <span className="text-oxblood">{say("that-did-not-work-what")}</span>}
      </p>
    </section>
  );
}

async function putAll(folder: string, files: readonly File[]): Promise<number> {
  for (const file of files) {
    const { status } = await sendFile(
      `/api/drop?folder=${folder}&name=${encodeURIComponent(file.name)}`,
      file,
      () => undefined,
      new AbortController().signal,
    );
    if (status !== 201) throw new Error(String(status));
  }
  return files.length;
}
