import {
  type AskedKeyholders,
  CODE_GROUPS,
  type LockedFolder,
  type RescueSecret,
  type RescuedEntry,
  findLocked,
  isEremosError,
  isPlainTrue,
  keyholdersOf,
  lookAtShares,
  mistypedGroups,
  openLocked,
  stateWriterOf,
  whatContradicts,
} from "@eremos/core/rescue";
import { type ChosenFiles, filesDropped, filesOf, filesSource, lockedIn } from "./files-source";
import { type Lost, shownPath, takeOutAll, takeOutFile } from "./take-out";
import { say } from "@eremos/words/reader";
import { at, button, namedRow, showMatching, working } from "./page-parts";
import { bytesIn } from "./sizes";
import { wordsOfError } from "./words-of-error";

/**
 * The page that opens a locked folder without Eremos. What it shows is text, never markup: names come from whoever made
 * the folder.
 */

const view = {
  folder: at<HTMLInputElement>("folder"),
  which: at("which"),
  found: at<HTMLSelectElement>("found"),
  chosen: at("chosen"),
  secret: at("secret"),
  form: at<HTMLFormElement>("form"),
  byPassword: at("by-password"),
  byOwn: at("by-own"),
  byCode: at("by-code"),
  byShares: at("by-shares"),
  password: at<HTMLInputElement>("password"),
  own: at<HTMLInputElement>("own"),
  code: at<HTMLInputElement>("code"),
  shares: at<HTMLTextAreaElement>("shares"),
  asked: at("asked"),
  looks: at("looks"),
  hint: at("hint"),
  wrong: at("wrong"),
  contents: at("contents"),
  doubt: at("doubt"),
  doubted: at("doubted"),
  trust: at<HTMLButtonElement>("trust"),
  ways: at("ways"),
  summary: at("summary"),
  problems: at("problems"),
  all: at<HTMLButtonElement>("all"),
  find: at<HTMLInputElement>("find"),
  progress: at<HTMLProgressElement>("progress"),
  list: at("list"),
  more: at("more"),
};

let files: ChosenFiles = new Map();
let hasPassword = false;
/** Whose shares open the folder; null where none do. */
let keyholders: { readonly owner: string; readonly set: AskedKeyholders } | null = null;
let locked: LockedFolder | null = null;

async function choose(chosen: ChosenFiles): Promise<void> {
  files = chosen;
  const found = lockedIn(files);
  view.which.hidden = found.length < 2;
  view.found.replaceChildren(
    ...found.map((path) => new Option(path === "" ? say("chosen-folder-itself") : path.slice(0, -1), path)),
  );
  if (found.length === 0) return refuse(say("there-is-nothing-eremos-in"));
  await pick();
}

function refuse(message: string): void {
  view.secret.hidden = view.contents.hidden = true;
  view.chosen.textContent = message;
}

async function pick(): Promise<void> {
  close();
  const folder = view.found.value;
  try {
    if (
      files.has(`${folder}.eremos/guard.json`) &&
      ![...files.keys()].some(
        (name) =>
          name.startsWith(`${folder}.eremos/`) && stateWriterOf(name.slice(folder.length + ".eremos/".length)) !== null,
      )
    ) {
      return refuse(say("this-folder-is-not-encrypted"));
    }
    const source = filesSource(files, folder);
    const found = await findLocked(source);
    const contradiction = await whatContradicts(source);
    ({ hasPassword } = found);
    const [head] = found.heads;
    const set = head ? keyholdersOf(head) : null;
    keyholders = head && set ? { owner: head.header.owner.owner, set } : null;
    view.asked.textContent = set
      ? say("any-one-line", { threshold: set.threshold, checks: set.checks.length })
      : say("no-keyholders-were-named-for");
    view.hint.textContent = found.hint === null ? say("it-has-one-besides-master") : say("hint", { hint: found.hint });
    view.chosen.textContent =
      contradiction !== null
        ? say("what-is-encrypted-can-be", { contradiction })
        : found.state !== null && isPlainTrue(found.state)
          ? say("this-folder-was-open-or")
          : say("it-is-locked-by-eremos");
    view.secret.hidden = false;
    showFields();
  } catch (error) {
    refuse(wordsOf(error));
  }
}

function kind(): string {
  return new FormData(view.form).get("kind")?.toString() ?? "password";
}

function showFields(): void {
  const chosen = kind();
  view.byPassword.hidden = chosen !== "password";
  view.byOwn.hidden = chosen !== "password" || !hasPassword;
  view.byCode.hidden = chosen !== "code";
  view.byShares.hidden = view.looks.hidden = chosen !== "shares";
  view.wrong.textContent = "";
}

function secretTyped(): RescueSecret {
  if (kind() === "shares") return { kind: "shares", shares: sharesTyped() };
  return kind() === "code"
    ? { kind: "code", code: view.code.value }
    : { kind: "password", password: view.password.value, folderPassword: hasPassword ? view.own.value : null };
}

function sharesTyped(): string[] {
  return view.shares.value.split("\n").filter((line) => line.trim() !== "");
}

/** Each share is looked at by itself while they are collected. */
function checkShares(): void {
  const looks = keyholders ? lookAtShares(keyholders.owner, keyholders.set, sharesTyped()) : [];
  view.looks.replaceChildren(
    ...looks.map(({ number, problem }) => item(problem ?? say("share-is-right", { number: number ?? "" }))),
  );
}

/** Mistyped groups are named while they are typed. */
function checkCode(): void {
  const wrong = mistypedGroups(view.code.value).map((group) => group + 1);
  view.wrong.textContent =
    wrong.length === 0
      ? ""
      : say("groups-look-again-something-is", {
          wrong: wrong.length,
          groups: wrong.join(", "),
          codeGroups: CODE_GROUPS,
        });
}

async function open(): Promise<void> {
  const button = view.form.querySelector("button");
  view.wrong.textContent = "";
  if (button) {
    button.disabled = true;
    button.textContent = "Opening…";
  }
  // The page is to show that before the hashing holds it up.
  await new Promise((resolve) => setTimeout(resolve, 30));
  try {
    close();
    locked = await openLocked(filesSource(files, view.found.value), secretTyped());
    askOrShow(locked);
  } catch (error) {
    view.contents.hidden = true;
    view.wrong.textContent = wordsOf(error);
  } finally {
    if (button) {
      button.disabled = false;
      button.textContent = say("open-it");
    }
  }
}

function close(): void {
  locked?.close();
  locked = null;
  view.contents.hidden = true;
}

function wordsOf(error: unknown): string {
  return isEremosError(error)
    ? wordsOfError(error)
    : say("something-went-wrong-here-locked", { error: error instanceof Error ? error.message : String(error) });
}

/** What nobody known stands behind is shown to whoever knows who locked it. */
function askOrShow(of: LockedFolder): void {
  view.doubt.hidden = of.doubt === null;
  view.ways.hidden = of.doubt !== null;
  if (of.doubt === null) return showContents(of);
  view.doubted.textContent = of.doubt;
  view.summary.textContent = view.more.textContent = "";
  view.problems.replaceChildren();
  view.list.replaceChildren();
  view.contents.hidden = false;
  view.trust.focus();
}

function showContents(of: LockedFolder): void {
  view.doubt.hidden = true;
  view.ways.hidden = false;
  const all = of.entries.filter((entry) => entry.kind === "file");
  view.summary.textContent = say("what-is-in-it", {
    files: all.length,
    size: bytesIn(all.reduce((sum, { size }) => sum + size, 0)),
    hasPlace: of.place !== null,
    place: of.place?.toString("utf8") ?? "",
  });
  view.problems.replaceChildren(...of.problems.map(item));
  view.contents.hidden = false;
  showList();
}

function item(text: string): HTMLLIElement {
  const element = document.createElement("li");
  element.textContent = text;
  return element;
}

function showList(): void {
  const of = locked;
  if (!of) return;
  const more = showMatching(
    view.list,
    of.entries.filter(({ kind: its }) => its !== "dir"),
    { wanted: view.find.value, nameOf: shownPath, row: (entry) => row(of, entry) },
  );
  view.more.textContent = more > 0 ? say("and-more-find-them-by", { matching: more }) : "";
}

function row(of: LockedFolder, entry: RescuedEntry): HTMLLIElement {
  const name = shownPath(entry);
  if (entry.kind === "link")
    return namedRow(say("link", { entry: name, target: entry.target?.toString("utf8") ?? "" }), null);
  const element = namedRow(name, entry.size);
  const takeOut = async (): Promise<void> => {
    const lost = await takeOutFile(of, entry);
    tell(lost ? [lost] : []);
  };
  element.append(
    button(say("take-it-out"), say("take-out", { entry: name }), (pressed) => void during(pressed, takeOut)),
  );
  return element;
}

function during(button: HTMLButtonElement, work: () => Promise<void>): Promise<void> {
  return working(button, work, {
    failed: (error) => view.problems.append(item(wordsOf(error))),
    ended: () => void (view.progress.hidden = true),
  });
}

function tell(damaged: readonly Lost[]): void {
  for (const { path, size, lost } of damaged) {
    const ranges = lost
      .slice(0, 5)
      .map(({ offset, length }) => say("bytes", { offset, last: offset + length - 1 }))
      .join(", ");
    view.problems.append(
      item(say("is-damaged-and-more-places", { path, ranges, hasLost: lost.length > 5, lost: lost.length - 5, size })),
    );
  }
}

view.folder.addEventListener("change", () => {
  if (view.folder.files) void choose(filesOf(view.folder.files));
});
view.found.addEventListener("change", () => void pick());
view.form.addEventListener("change", (event) => {
  if ((event.target as HTMLInputElement).name === "kind") showFields();
});
view.code.addEventListener("input", checkCode);
view.shares.addEventListener("input", checkShares);
view.form.addEventListener("submit", (event) => {
  event.preventDefault();
  void open();
});
view.trust.addEventListener("click", () => {
  if (locked) showContents(locked);
});
view.find.addEventListener("input", showList);
view.all.addEventListener("click", () => {
  const of = locked;
  if (of)
    void during(view.all, async () => {
      view.progress.hidden = false;
      const damaged = await takeOutAll(
        of,
        (done, total) => void (view.progress.value = total === 0 ? 1 : done / total),
      );
      tell(damaged);
      view.summary.textContent =
        damaged.length === 0
          ? say("everything-is-taken-out-and")
          : say("everything-is-taken-out-files", { damaged: damaged.length });
    });
});
const step = view.folder.closest("section");
document.addEventListener("dragover", (event) => {
  event.preventDefault();
  step?.classList.add("over");
});
document.addEventListener("dragleave", () => step?.classList.remove("over"));
document.addEventListener("drop", (event) => {
  event.preventDefault();
  step?.classList.remove("over");
  if (event.dataTransfer) void filesDropped(event.dataTransfer.items).then(choose);
});
