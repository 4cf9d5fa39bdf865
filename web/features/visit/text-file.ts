import type { VisitEntry } from "@eremos/server/contract";
import { ApiError } from "@/lib/api";
import { sendFile } from "@/lib/send-file";
import { childHref, lastName, parentHref } from "./hrefs";
import { say } from "@eremos/words/page/visit";

/** So much text is edited here; more is for a program of its own, on the drive. */
export const MOST_EDITED = 2 * 1024 * 1024;

export interface TextFile {
  readonly text: string;
  readonly etag: string | null;
  /** As it stands in the file; where they are mixed, a lone return is a character like others. */
  readonly lineBreak: "\n" | "\r\n";
}

/** The whole of a file, as text that can be written back byte for byte. @throws Error in words, where it is none */
export async function readText(url: string): Promise<TextFile> {
  const response = await fetch(url);
  if (!response.ok) throw new ApiError("visit", say("it-could-not-be-read"));
  const bytes = await response.arrayBuffer();
  let text: string;
  try {
    text = new TextDecoder("utf-8", { fatal: true, ignoreBOM: true }).decode(bytes);
  } catch {
    throw new ApiError("visit", say("it-is-no-plain-text"));
  }
  return { text, etag: response.headers.get("etag"), lineBreak: lineBreakOf(text) };
}

export function lineBreakOf(text: string): TextFile["lineBreak"] {
  const breaks = text.match(/\r?\n/g) ?? [];
  return breaks.length > 0 && breaks.every((one) => one === "\r\n") ? "\r\n" : "\n";
}

export interface Saved {
  readonly href: string;
  readonly etag: string | null;
}

/**
 * Saves it as a state of its own, where the file is still what was read; else beside it, under a name that says so.
 * @throws ApiError
 */
export async function saveText(folder: string, href: string, text: string, etag: string | null): Promise<Saved> {
  const saved = await put(folder, href, text, etag === null ? { none: "*" } : { match: etag });
  if (saved) return saved;
  for (let number = 1; ; number++) {
    const beside = childHref(parentHref(href), besideName(lastName(href), number));
    const kept = await put(folder, beside, text, { none: "*" });
    if (kept) return kept;
  }
}

/** `letter (another edit).txt`, then `letter (another edit 2).txt`. */
export function besideName(name: string, number: number): string {
  const dot = name.lastIndexOf(".");
  const [stem, ending] = dot > 0 ? [name.slice(0, dot), name.slice(dot)] : [name, ""];
  return `${stem} (${say("another-edit")}${number > 1 ? ` ${number}` : ""})${ending}`;
}

/** An empty one; where something has the name, beside that. */
export async function makeText(folder: string, href: string): Promise<VisitEntry> {
  const made = await saveText(folder, href, "", null);
  return {
    name: lastName(made.href),
    href: made.href,
    kind: "file",
    size: 0,
    modifiedAt: Date.now(),
    leadsTo: null,
  };
}

/** Null: it is not what it was. */
async function put(
  folder: string,
  href: string,
  text: string,
  condition: Readonly<Record<string, string>>,
): Promise<Saved | null> {
  const asked = new URLSearchParams({ folder, href, ...condition });
  const { status, etag } = await sendFile(
    `/api/visit/upload?${asked.toString()}`,
    new File([text], "text"),
    () => undefined,
    new AbortController().signal,
  );
  if (status === 412) return null;
  if (status === 507) throw new ApiError("upload", say("disk-is-full-not-saved"));
  if (status >= 300) throw new ApiError("upload", say("it-could-not-be-saved"));
  return { href, etag };
}
