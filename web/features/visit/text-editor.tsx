"use client";
import { redo, undo } from "@codemirror/commands";
import { openSearchPanel } from "@codemirror/search";
import { EditorState } from "@codemirror/state";
import { EditorView, keymap } from "@codemirror/view";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { basicSetup } from "codemirror";
import { Redo2, Search, Undo2 } from "lucide-react";
import { type ReactNode, type RefObject, useEffect, useEffectEvent, useRef, useState } from "react";
import { toast } from "sonner";
import { ApiError, api } from "@/lib/api";
import { KEYS, showError } from "@/lib/queries";
import { Button } from "@/ui/button";
import { draftOf, dropDraft, hasDrafts, keepDraft } from "./drafts";
import { lastName } from "./hrefs";
import { type TextFile, readText, saveText } from "./text-file";
import "./text-editor.css";
import { say } from "@eremos/words/page/visit";

interface EditorProps {
  readonly folder: string;
  readonly href: string;
  readonly url: string;
  /** Saved under another name: what it was changed meanwhile. */
  readonly onMoved: (href: string) => void;
  readonly onDone: () => void;
}

/** A text, edited inside the visit; each save is a state of the folder, and can be undone. */
export function TextEditor(props: EditorProps): ReactNode {
  const { folder, href, url } = props;
  const { data, error } = useQuery({
    queryKey: ["text", url],
    queryFn: () => readText(url),
    gcTime: 0,
    staleTime: Infinity,
    retry: false,
    refetchOnWindowFocus: false,
  });
  if (error)
    return (
      <p role="alert" className="p-5 text-sm text-oxblood">
        {error instanceof ApiError ? error.message : say("it-could-not-be-read")}
      </p>
    );
  if (!data) return <div aria-busy="true" className="flex-1" />;
  const draft = draftOf(folder, href);
  return <Editing key={url} {...props} file={data} begun={draft ? { ...data, ...draft } : data} />;
}

const TELL_EVERY_MS = 60_000;

/** An editor of the standard kind in `holder`, which begins with a text, and tells of each change. */
function useEditor(
  { text, lineBreak }: TextFile,
  onChanged: (text: string) => void,
  onSave: (view: EditorView) => void,
): { readonly holder: RefObject<HTMLDivElement | null>; readonly view: RefObject<EditorView | null> } {
  const holder = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView | null>(null);
  const begun = useRef({ text, lineBreak });
  const changed = useEffectEvent(onChanged);
  const save = useEffectEvent(onSave);
  useEffect(() => {
    const saveKey = { key: "Mod-s", preventDefault: true, run: (editor: EditorView): boolean => (save(editor), true) };
    const made = new EditorView({
      parent: holder.current ?? document.body,
      state: EditorState.create({
        doc: begun.current.text,
        extensions: [
          EditorState.lineSeparator.of(begun.current.lineBreak),
          keymap.of([saveKey]),
          basicSetup,
          EditorView.lineWrapping,
          EditorView.contentAttributes.of({ "aria-label": say("text-of-file") }),
          EditorView.updateListener.of((update) => update.docChanged && changed(update.state.sliceDoc())),
        ],
      }),
    });
    view.current = made;
    made.focus();
    return () => made.destroy();
  }, []);
  return { holder, view };
}

interface EditingProps extends EditorProps {
  readonly file: TextFile;
  /** The same, or what was typed into it and not saved yet. */
  readonly begun: TextFile;
}

function Editing({ folder, href, onMoved, onDone, file, begun }: EditingProps): ReactNode {
  const client = useQueryClient();
  const base = useRef({ etag: begun.etag, text: file.text });
  const [isChanged, setChanged] = useState(begun.text !== file.text);
  const [isSaving, setSaving] = useState(false);
  const toldAt = useRef(0);
  const onChanged = (text: string): void => {
    const isOther = text !== base.current.text;
    setChanged(isOther);
    if (isOther) keepDraft(folder, href, { text, etag: base.current.etag });
    else dropDraft(folder, href);
    // Who types is there: the visit goes on.
    if (Date.now() - toldAt.current < TELL_EVERY_MS) return;
    toldAt.current = Date.now();
    api.visit(folder, { kind: "list", href: "/" }).catch(() => undefined);
  };
  const save = async (editor: EditorView): Promise<void> => {
    const text = editor.state.sliceDoc();
    setSaving(true);
    try {
      const saved = await saveText(folder, href, text, base.current.etag);
      base.current = { etag: saved.etag, text };
      onChanged(editor.state.sliceDoc());
      if (saved.href === href) toast(say("saved", { name: lastName(href) }), { duration: 4000 });
      else {
        toast(say("it-was-changed-meanwhile", { name: lastName(saved.href) }), { duration: 20_000 });
        onMoved(saved.href);
      }
      await client.invalidateQueries({ queryKey: KEYS.visit(folder) });
    } catch (error) {
      showError(error);
    } finally {
      setSaving(false);
    }
  };
  const { holder, view } = useEditor(begun, onChanged, (editor) => void save(editor));
  useWarning();
  return (
    <div className="flex min-h-0 flex-1 flex-col">
      <Tools view={view}>
        <Button
          size="small"
          tone="dusk"
          disabled={!isChanged || isSaving}
          onClick={() => view.current && void save(view.current)}
        >
          {say("save")}
        </Button>
        <Button size="small" className="order-last" onClick={onDone}>
          {isChanged ? say("leave-it-unsaved") : say("done-editing")}
        </Button>
        <span role="status" className="order-2 ml-auto text-[13px] text-mute">
          {isChanged ? say("not-saved-yet") : ""}
        </span>
      </Tools>
      <div ref={holder} className="text-editor min-h-0 flex-1 overflow-auto" />
    </div>
  );
}

interface ToolsProps {
  readonly view: RefObject<EditorView | null>;
  readonly children: ReactNode;
}

function Tools({ view, children }: ToolsProps): ReactNode {
  const tools = [
    [say("undo-typing"), Undo2, undo],
    [say("redo-typing"), Redo2, redo],
    [say("find-in-text"), Search, openSearchPanel],
  ] as const;
  return (
    <div className="flex flex-wrap items-center gap-1.5 border-b border-line px-5 py-2">
      {children}
      {tools.map(([words, Icon, act]) => (
        <Button
          key={words}
          size="small"
          className="order-1 px-2"
          aria-label={words}
          title={words}
          onClick={() => view.current && act(view.current)}
        >
          <Icon className="size-4" aria-hidden />
        </Button>
      ))}
    </div>
  );
}

/** The browser asks before it takes the page, and what was typed in it, away. */
function useWarning(): void {
  useEffect(() => {
    const warn = (event: BeforeUnloadEvent): void => {
      if (hasDrafts()) event.preventDefault();
    };
    window.addEventListener("beforeunload", warn);
    return () => window.removeEventListener("beforeunload", warn);
  }, []);
}
