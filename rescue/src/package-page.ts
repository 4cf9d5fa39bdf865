import type { Entry } from "@zip.js/zip.js";
import { isEremosError } from "@eremos/core/rescue";
import { say } from "@eremos/words/reader/package";
import { Packed, headInPage, sourceInFile, sourceInPage } from "./packed";
import { at, button, namedRow, showMatching, working } from "./page-parts";
import { bytesIn } from "./sizes";
import { canDrawPdf, loadPdf } from "./pdf-in-page";
import { save, streamToFile } from "./saving";

/**
 * The page that a package is. What it shows is text, a picture, sound or film, never markup, and nothing of it runs: it
 * comes from whoever made the package.
 */
const MOST_TEXT = 256 * 1024;

const head = headInPage();
// What follows is no part of the page: it is read from the file, once that is chosen.
if (head.layout === "behind") window.stop();

const view = {
  choose: at("choose"),
  file: at<HTMLInputElement>("file"),
  chosen: at("chosen"),
  secret: at("secret"),
  form: at<HTMLFormElement>("form"),
  password: at<HTMLInputElement>("password"),
  submit: at<HTMLButtonElement>("submit"),
  wrong: at("wrong"),
  contents: at("contents"),
  summary: at("summary"),
  problem: at("problem"),
  all: at<HTMLButtonElement>("all"),
  find: at<HTMLInputElement>("find"),
  progress: at<HTMLProgressElement>("progress"),
  list: at("list"),
  more: at("more"),
  preview: at<HTMLDialogElement>("preview"),
  shownName: at("shown-name"),
  shown: at("shown"),
  close: at<HTMLButtonElement>("close"),
};

let chosen: File | null = null;
let packed: Packed | null = null;

function wordsOf(error: unknown): string {
  if (isEremosError(error)) return error.message;
  return say("something-went-wrong", { error: error instanceof Error ? error.message : String(error) });
}

async function choose(file: File): Promise<void> {
  try {
    await sourceInFile(file, head);
    chosen = file;
    view.chosen.textContent = say("is-this-file");
    view.secret.hidden = false;
    view.password.focus();
  } catch (error) {
    view.chosen.textContent = wordsOf(error);
  }
}

async function open(): Promise<void> {
  view.wrong.textContent = "";
  view.submit.disabled = true;
  view.submit.textContent = say("opening");
  // The page is to show that before the hashing holds it up.
  await new Promise((resolve) => setTimeout(resolve, 30));
  try {
    const source = chosen ? await sourceInFile(chosen, head) : sourceInPage();
    packed = await Packed.open(source, head, view.password.value);
    view.password.value = "";
    view.contents.hidden = false;
    view.secret.hidden = view.choose.hidden = true;
    const bytes = packed.files.reduce((sum, { uncompressedSize }) => sum + uncompressedSize, 0);
    view.summary.textContent = say("what-is-in-it", { files: packed.files.length, size: bytesIn(bytes) });
    showList(packed);
    view.find.focus();
  } catch (error) {
    view.wrong.textContent = wordsOf(error);
    view.password.select();
  } finally {
    view.submit.disabled = false;
    view.submit.textContent = say("open-it");
  }
}

function showList(of: Packed): void {
  const more = showMatching(view.list, of.files, {
    wanted: view.find.value,
    nameOf: ({ filename }) => filename,
    row: (entry) => row(of, entry),
  });
  view.more.textContent = more > 0 ? say("and-more-find-them-by", { matching: more }) : "";
}

function row(of: Packed, entry: Entry): HTMLLIElement {
  const element = namedRow(entry.filename, entry.uncompressedSize);
  const offer = (text: string, label: string, act: () => Promise<void>): void =>
    element.append(button(text, label, (pressed) => void during(pressed, act)));
  if (typeOf(entry.filename) !== null)
    offer(say("show"), say("show-this", { entry: entry.filename }), () => show(of, entry));
  offer(say("save"), say("save-this", { entry: entry.filename }), async () => {
    save(await of.contents(entry, "application/octet-stream"), baseName(entry.filename));
    view.summary.textContent = say("it-is-saved", { entry: baseName(entry.filename) });
  });
  return element;
}

function during(pressed: HTMLButtonElement, act: () => Promise<void>): Promise<void> {
  view.problem.textContent = "";
  return working(pressed, act, {
    failed: (error) => void (view.problem.textContent = wordsOf(error)),
    ended: () => void (view.progress.hidden = true),
  });
}

const baseName = (path: string): string => path.slice(path.lastIndexOf("/") + 1);

/** What is shown as what: inert types alone. */
const TYPES: readonly (readonly [RegExp, string])[] = [
  [/\.(txt|md|csv|tsv|json|xml|log|ini|yml|yaml|html?|css|js|ts|py|sh|tex)$/i, "text/plain"],
  [/\.png$/i, "image/png"],
  [/\.jpe?g$/i, "image/jpeg"],
  [/\.gif$/i, "image/gif"],
  [/\.webp$/i, "image/webp"],
  [/\.avif$/i, "image/avif"],
  [/\.bmp$/i, "image/bmp"],
  [/\.mp3$/i, "audio/mpeg"],
  [/\.(ogg|oga|opus)$/i, "audio/ogg"],
  [/\.wav$/i, "audio/wav"],
  [/\.flac$/i, "audio/flac"],
  [/\.m4a$/i, "audio/mp4"],
  [/\.(mp4|m4v|mov)$/i, "video/mp4"],
  [/\.webm$/i, "video/webm"],
];

const PDF = "application/pdf";

function typeOf(name: string): string | null {
  if (/\.pdf$/i.test(name)) return canDrawPdf() ? PDF : null;
  return TYPES.find(([pattern]) => pattern.test(name))?.[1] ?? null;
}

let shownAddress: string | null = null;

async function show(of: Packed, entry: Entry): Promise<void> {
  const type = typeOf(entry.filename) ?? "";
  view.shownName.textContent = entry.filename;
  const element =
    type === "text/plain" ? textOf(of, entry) : type === PDF ? pdfOf(of, entry) : mediumOf(of, entry, type);
  view.shown.replaceChildren(await element);
  view.preview.showModal();
}

async function pdfOf(of: Packed, entry: Entry): Promise<HTMLElement> {
  const draw = await loadPdf();
  const pages = document.createElement("div");
  pages.className = "pages";
  await draw(await of.bytes(entry), pages, {
    nameOf: (number) => say("page-number", { number }),
    more: (shown, all) => say("first-pages-alone", { shown, all }),
  });
  return pages;
}

async function textOf(of: Packed, entry: Entry): Promise<HTMLElement> {
  const bytes = await of.bytes(entry);
  const text = document.createElement("pre");
  text.textContent = new TextDecoder().decode(bytes.subarray(0, MOST_TEXT));
  if (bytes.length <= MOST_TEXT) return text;
  const all = document.createElement("div");
  const cut = document.createElement("p");
  cut.className = "quiet";
  cut.textContent = say("only-its-beginning");
  all.append(text, cut);
  return all;
}

async function mediumOf(of: Packed, entry: Entry, type: string): Promise<HTMLElement> {
  shownAddress = URL.createObjectURL(await of.contents(entry, type));
  const [kind] = type.split("/");
  const element = document.createElement(kind === "image" ? "img" : kind === "audio" ? "audio" : "video");
  element.addEventListener("error", () => {
    const instead = document.createElement("p");
    instead.textContent = say("this-browser-cant-show-it");
    view.shown.replaceChildren(instead);
  });
  element.src = shownAddress;
  if (element instanceof HTMLImageElement) element.alt = entry.filename;
  else element.controls = true;
  return element;
}

async function saveAll(of: Packed): Promise<void> {
  const name = `${document.title.replace(/[\\/:]/g, "_")}.zip`;
  const target = await streamToFile(name);
  view.progress.hidden = false;
  const writer = target?.getWriter();
  const parts: Uint8Array<ArrayBuffer>[] = [];
  let done = 0;
  for await (const piece of of.pieces()) {
    const bytes = Uint8Array.from(piece);
    if (writer) await writer.write(bytes);
    else parts.push(bytes);
    done += piece.length;
    view.progress.value = done / of.length;
  }
  if (writer) await writer.close();
  else save(new Blob(parts, { type: "application/zip" }), name);
  view.summary.textContent = say("everything-is-saved");
}

view.file.addEventListener("change", () => {
  const [file] = view.file.files ?? [];
  if (file) void choose(file);
});
view.form.addEventListener("submit", (event) => {
  event.preventDefault();
  void open();
});
view.find.addEventListener("input", () => packed && showList(packed));
view.all.addEventListener("click", () => {
  const of = packed;
  if (of) void during(view.all, () => saveAll(of));
});
view.close.addEventListener("click", () => view.preview.close());
view.preview.addEventListener("close", () => {
  view.shown.replaceChildren();
  if (shownAddress !== null) URL.revokeObjectURL(shownAddress);
  shownAddress = null;
});

view.choose.hidden = head.layout === "inside";
view.secret.hidden = head.layout === "behind";
view.password.focus();
