"use client";
import { Download, Pencil, SquareArrowOutUpRight, X } from "lucide-react";
import dynamic from "next/dynamic";
import { type ReactNode, useCallback, useState } from "react";
import type { VisitEntry } from "@eremos/server/contract";
import { draftOf } from "./drafts";
import { parentHref } from "./hrefs";
import { MOST_EDITED } from "./text-file";
import { type PreviewKind, previewKindOf } from "./kinds";
import { download } from "./selected";
import { SvgPreview } from "./svg-preview";
import { SheetPreview, TextPreview } from "./text-preview";
import { api } from "@/lib/api";
import { formatBytes } from "@/lib/format";
import { useVerb } from "@/lib/queries";
import { Button } from "@/ui/button";
import { ErrorBoundary } from "@/ui/error-boundary";
import { Time } from "@/ui/time";
import { say } from "@eremos/words/page/visit";

/** Loaded for who edits. */
const TextEditor = dynamic(() => import("./text-editor").then((module) => module.TextEditor), { ssr: false });
const EDITED: ReadonlySet<PreviewKind> = new Set<PreviewKind>(["text", "markdown", "table"]);
const MarkdownPreview = dynamic(() => import("./markdown-preview").then((module) => module.MarkdownPreview), {
  ssr: false,
});
const PdfPreview = dynamic(() => import("./pdf-preview").then((module) => module.PdfPreview), { ssr: false });
const ZipPreview = dynamic(() => import("./zip-preview").then((module) => module.ZipPreview), { ssr: false });

interface PreviewProps {
  readonly folder: string;
  /** It is a text that was just made. */
  readonly isNew: boolean;
  /** To another entry beside it. */
  readonly onShow: (href: string) => void;
  readonly entry: VisitEntry;
  readonly contents: string;
  /** The desktop can open it in the program that it has for it. */
  readonly hasPrograms: boolean;
  /** It was found by a search, and may lie elsewhere. */
  readonly isFound: boolean;
  readonly onGo: () => void;
  readonly onClose: () => void;
}

const NOT_SHOWN = <p className="text-sm text-mute">{say("this-browser-cant-show-it")}</p>;

/** One file, shown from the sealed copy; nothing in it can run. */
export function Preview(props: PreviewProps): ReactNode {
  const { folder, entry, contents, isNew, onShow } = props;
  const kind = previewKindOf(entry);
  const isText = EDITED.has(kind) && entry.size <= MOST_EDITED;
  const [isEditing, setEditing] = useState(isNew || (isText && draftOf(folder, entry.href) !== null));
  return (
    <aside
      aria-label={say("preview", { name: entry.name })}
      className="flex w-[44%] min-w-80 flex-col border-l border-line bg-sheet"
    >
      <Head {...props} isEditing={isEditing} onEdit={isText ? () => setEditing(true) : null} />
      {isEditing ? (
        <TextEditor
          folder={folder}
          href={entry.href}
          url={`${contents}${entry.href}`}
          onMoved={onShow}
          onDone={() => setEditing(false)}
        />
      ) : (
        <div className="min-h-0 flex-1 overflow-auto p-5" tabIndex={0} role="region" aria-label={say("what-is-in-it")}>
          <ErrorBoundary key={entry.href} instead={NOT_SHOWN}>
            <Shown kind={kind} entry={entry} url={`${contents}${entry.href}`} />
          </ErrorBoundary>
        </div>
      )}
    </aside>
  );
}

interface HeadProps extends Pick<
  PreviewProps,
  "folder" | "entry" | "contents" | "hasPrograms" | "isFound" | "onGo" | "onClose"
> {
  readonly isEditing: boolean;
  /** Null: it can't be edited here. */
  readonly onEdit: (() => void) | null;
}

/** What it is, and what can be done with it. */
function Head({
  folder,
  entry,
  contents,
  hasPrograms,
  isFound,
  isEditing,
  onEdit,
  onGo,
  onClose,
}: HeadProps): ReactNode {
  const program = useVerb(() => api.openVisited(folder, entry.href));
  return (
    <header className="flex items-start gap-2 border-b border-line px-5 py-3">
      <div className="min-w-0 flex-1">
        <h2 className="truncate font-sans text-[15px] font-semibold" title={entry.name}>
          {entry.name}
        </h2>
        <p className="text-[13px] text-mute">
          {entry.kind === "link" ? (
            say("link-leads", { leadsTo: entry.leadsTo ?? "" })
          ) : (
            <>
              {say("changed-2", { size: formatBytes(entry.size) })} <Time at={entry.modifiedAt} />
            </>
          )}
        </p>
        {isFound && (
          <button
            type="button"
            onClick={onGo}
            className="text-[13px] font-medium text-dusk underline underline-offset-4"
          >
            {say("show-it-in-folder", { hasParentHref: parentHref(entry.href) === "/" })}
          </button>
        )}
      </div>
      {onEdit && !isEditing && (
        <Button size="small" onClick={onEdit}>
          <Pencil className="size-4" aria-hidden />
          {say("edit")}
        </Button>
      )}
      {entry.kind === "file" && hasPrograms && !isEditing && (
        <Button
          size="small"
          className="px-2"
          aria-label={say("open-in-its-program")}
          title={say("open-in-its-program")}
          disabled={program.pending}
          onClick={() => program.run()}
        >
          <SquareArrowOutUpRight className="size-4" aria-hidden />
        </Button>
      )}
      {entry.kind === "file" && (
        <Button size="small" onClick={() => download(entry, contents)}>
          <Download className="size-4" aria-hidden />
          {say("download")}
        </Button>
      )}
      <button
        type="button"
        onClick={onClose}
        aria-label={say("close-preview")}
        className="grid size-8 place-items-center rounded-md text-mute hover:bg-sand hover:text-ink"
      >
        <X className="size-4" aria-hidden />
      </button>
    </header>
  );
}

function Shown({
  kind,
  entry,
  url,
}: {
  readonly kind: PreviewKind;
  readonly entry: VisitEntry;
  readonly url: string;
}): ReactNode {
  const [broken, setBroken] = useState(false);
  const onError = useCallback(() => setBroken(true), []);
  if (broken) return NOT_SHOWN;
  switch (kind) {
    case "image":
      return /\.svg$/i.test(entry.name) ? (
        <SvgPreview url={url} size={entry.size} name={entry.name} onError={onError} />
      ) : (
        <img src={url} alt={entry.name} onError={onError} className="mx-auto max-h-full max-w-full rounded-md" />
      );
    case "audio":
      return <audio src={url} controls onError={onError} className="w-full" aria-label={entry.name} />;
    case "video":
      return (
        <video src={url} controls onError={onError} className="max-h-full w-full rounded-md" aria-label={entry.name} />
      );
    case "text":
      return <TextPreview url={url} size={entry.size} />;
    case "table":
      return <SheetPreview url={url} size={entry.size} />;
    case "markdown":
      return <MarkdownPreview url={url} size={entry.size} />;
    case "pdf":
      return <PdfPreview url={url} onError={onError} />;
    case "zip":
      return <ZipPreview url={url} onError={onError} />;
    case "none":
      return (
        <p className="text-sm text-mute">
          {entry.kind === "link" ? say("links-are-not-followed-here") : say("there-is-no-preview-for")}
        </p>
      );
  }
}
