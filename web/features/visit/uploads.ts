"use client";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { childHref } from "./hrefs";
import { ApiError, api } from "@/lib/api";
import { KEYS } from "@/lib/queries";
import { sendFile } from "@/lib/send-file";
import { say } from "@eremos/words/page/visit";

export interface UploadState {
  readonly name: string;
  /** Files that are done, of how many. */
  readonly done: number;
  readonly total: number;
  /** Of the bytes of all of them, from 0 to 1. */
  readonly part: number;
  readonly cancel: () => void;
}

/** A file, and its path from the directory it was dropped with. */
function wayOf(file: File): readonly string[] {
  const dropped =
    "relativePath" in file && typeof file.relativePath === "string"
      ? file.relativePath
      : file.webkitRelativePath || file.name;
  return dropped.split("/").filter((part) => part !== "" && part !== ".");
}

/**
 * Sends files into the visited folder, one after the other: each is encrypted as it comes, and there when it is whole.
 */
export function useUploads(folder: string): {
  readonly state: UploadState | null;
  readonly send: (into: string, files: readonly File[]) => void;
} {
  const client = useQueryClient();
  const [state, setState] = useState<UploadState | null>(null);
  const sendAll = async (into: string, files: readonly File[]): Promise<void> => {
    const stop = new AbortController();
    const bytes = files.reduce((sum, { size }) => sum + size, 0) || 1;
    const made = new Set<string>();
    let sent = 0;
    try {
      for (const [done, file] of files.entries()) {
        const way = wayOf(file);
        const show = (more: number): void =>
          setState({
            name: way.at(-1) ?? file.name,
            done,
            total: files.length,
            part: Math.min(1, (sent + more) / bytes),
            cancel: () => stop.abort(),
          });
        show(0);
        const href = await makeWay(folder, into, way, made);
        await sendOne(folder, href, file, show, stop.signal);
        sent += file.size;
      }
      toast(
        files.length === 1
          ? say("is-in-folder-encrypted", { name: files[0]?.name ?? say("file") })
          : say("files-are-in-folder-encrypted", { files: files.length }),
      );
    } catch (error) {
      if (stop.signal.aborted) toast(say("stopped-what-had-arrived-whole"));
      else toast.error(error instanceof ApiError ? error.message : say("file-could-not-be-sent"), { duration: 12_000 });
    } finally {
      setState(null);
      void client.invalidateQueries({ queryKey: KEYS.visit(folder) });
    }
  };
  return { state, send: (into, files) => void (files.length > 0 && sendAll(into, files)) };
}

async function makeWay(folder: string, into: string, way: readonly string[], made: Set<string>): Promise<string> {
  let at = into;
  for (const name of way.slice(0, -1)) {
    at = childHref(at, name);
    if (made.has(at)) continue;
    made.add(at);
    await api.visit(folder, { kind: "make-directory", href: at }).catch((error: unknown) => {
      if (!(error instanceof ApiError) || error.code !== "path-taken") throw error;
    });
  }
  return childHref(at, way.at(-1) ?? "file");
}

async function sendOne(
  folder: string,
  href: string,
  file: File,
  onSent: (bytes: number) => void,
  signal: AbortSignal,
): Promise<void> {
  const { status } = await sendFile(
    `/api/visit/upload?folder=${encodeURIComponent(folder)}&href=${encodeURIComponent(href)}`,
    file,
    onSent,
    signal,
  );
  if (status >= 300) throw new ApiError("upload", wordsFor(status, file.name));
}

function wordsFor(status: number, name: string): string {
  if (status === 507) return say("disk-is-full-so-was", { name });
  if (status === 405) return say("there-is-folder-called-already", { name });
  if (status === 423) return say("program-has-locked-nothing-was", { name });
  return say("could-not-be-put-in", { name });
}
