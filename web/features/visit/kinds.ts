import type { VisitEntry } from "@eremos/server/contract";

export type PreviewKind = "image" | "text" | "markdown" | "pdf" | "audio" | "video" | "table" | "zip" | "none";

const BY_ENDING: Readonly<Record<Exclude<PreviewKind, "none">, readonly string[]>> = {
  image: ["png", "jpg", "jpeg", "gif", "webp", "avif", "bmp", "svg", "ico"],
  text: [
    "txt",
    "log",
    "json",
    "xml",
    "yaml",
    "yml",
    "toml",
    "ini",
    "conf",
    "html",
    "htm",
    "css",
    "js",
    "ts",
    "tsx",
    "mjs",
    "py",
    "sh",
    "c",
    "h",
    "cpp",
    "rs",
    "go",
    "java",
    "rb",
    "php",
    "sql",
    "tex",
    "eml",
    "ics",
    "vcf",
    "srt",
  ],
  markdown: ["md", "markdown"],
  pdf: ["pdf"],
  audio: ["mp3", "ogg", "oga", "opus", "wav", "flac", "m4a", "aac"],
  video: ["mp4", "webm", "ogv", "mov", "m4v"],
  table: ["csv", "tsv"],
  zip: ["zip", "jar", "odt", "ods", "odp", "docx", "xlsx", "pptx", "epub"],
};

export function previewKindOf({ kind, name }: Pick<VisitEntry, "kind" | "name">): PreviewKind {
  const ending = name.slice(name.lastIndexOf(".") + 1).toLowerCase();
  if (kind !== "file") return "none";
  const found = Object.entries(BY_ENDING).find(([, endings]) => endings.includes(ending));
  return (found?.[0] as PreviewKind | undefined) ?? (name.includes(".") ? "none" : "text");
}
