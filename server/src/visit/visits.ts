import { Worker } from "node:worker_threads";
import { type Committed, EremosError, errorOf, fromSystemError, randomBytes, toBase64 } from "@eremos/core";
import type { VisitCall, VisitReply, VisitView } from "../contract";
import { canMount, driveAddressOf, mount, openOnDrive, showMounted, unmount } from "./mount";
import { OpenedFiles, type Watched } from "./opened-files";
import { hrefOf, pathOf, shownName } from "./hrefs";
import type { FromWorker, ToWorker, VisitEnd, VisitStart } from "./protocol";
import { said } from "@eremos/words/server/visit";

export interface VisitRequest {
  readonly folder: string;
  readonly input: VisitStart["input"];
  /** The name that programs give to use the drive. */
  readonly user: string;
  readonly idleMs: number;
  readonly endsAt: number | null;
  /** What the owner's list is to know: after each change, and once more at the end. */
  readonly onCommit: (committed: Committed) => void;
  /** `looked`: how many of its files were looked at. */
  readonly onEnd: (why: VisitEnd | "cut off", looked: number) => void;
  /** So many wrong passwords at the drive, by programs of this account; null where the system does not tell. */
  readonly onWrong: (account: number | null, count: number) => void;
}

interface Running {
  readonly view: VisitView;
  readonly worker: Worker;
  readonly ended: Promise<void>;
  /** For archives, by id. */
  readonly chosen: Map<string, readonly string[]>;
  readonly calls: Map<
    number,
    { readonly resolve: (reply: VisitReply) => void; readonly reject: (error: EremosError) => void }
  >;
}

/** Where a visit is served to programs. */
export interface Drive {
  readonly port: number;
  readonly address: string;
  readonly isMounted: boolean;
}

/** So long after a program has ended, what it saved last is in. */
const LAST_SAVE_MS = 3000;

/** The beginning of the addresses under which the page gets files. */
export const CONTENTS = "/visit/";

/** The visits under way: one worker thread each, by folder. */
export class Visits {
  private readonly running = new Map<string, Running>();
  private nextCall = 1;
  private readonly drives = new Map<string, Drive>();
  /** Hears where drives are that a program may ask: all of them, at each change, until none asks there any more. */
  watchDrives: (drives: readonly Drive[]) => Promise<void> = () => Promise.resolve();

  private readonly files: OpenedFiles;

  /** `worker`: the path of the bundled worker. */
  constructor(
    private readonly worker: string,
    private readonly identity: Uint8Array,
    private readonly changed: () => void,
    runs: Watched["runs"],
  ) {
    this.files = new OpenedFiles({
      runs,
      changed: (folder) => this.show(folder, { opened: this.files.of(folder) }),
      letGo: (folder) => this.letGo(folder),
    });
  }

  of(folder: string): VisitView | null {
    return this.running.get(folder)?.view ?? null;
  }

  /** The visit whose files are under an address, and which file. */
  byContents(pathname: string): { readonly view: VisitView; readonly href: string } | null {
    for (const { view } of this.running.values())
      if (pathname.startsWith(`${view.contents}/`)) return { view, href: pathname.slice(view.contents.length) };
    return null;
  }

  get count(): number {
    return this.running.size;
  }

  /** @throws EremosError `busy` where it is visited already, and whatever an opening may refuse */
  start({ folder, input, user, idleMs, endsAt, onCommit, onEnd, onWrong }: VisitRequest): Promise<VisitView> {
    if (this.running.has(folder)) return Promise.reject(new EremosError("busy", said("this-folder-is-being-visited")));
    const password = toBase64(randomBytes(24));
    const start: VisitStart = { input, identity: this.identity, user, password, idleMs, endsAt };
    const worker = new Worker(this.worker, { workerData: start });
    const calls: Running["calls"] = new Map();
    return new Promise((resolve, reject) => {
      let why: VisitEnd | "cut off" = "cut off";
      let looked = 0;
      const view = {
        folder,
        url: "",
        user,
        password,
        address: "",
        mount: canMount(process.env) ? ("can" as const) : ("no" as const),
        contents: `${CONTENTS}${toBase64(randomBytes(24))}`,
        startedAt: Date.now(),
        endsAt,
        undoable: 0,
        opened: [],
        endsWithPrograms: false,
      };
      const ended = new Promise<void>((done) => worker.once("exit", () => done())).then(() =>
        this.close(folder, calls, () => onEnd(why, looked)),
      );
      worker.on("error", (error) => reject(fromSystemError(error, said("visiting-folder-what-was-changed"))));
      worker.on("message", (message: FromWorker) => {
        if (message.kind === "failed") reject(errorOf(message.failure));
        else if (message.kind === "ready") {
          const url = `http://127.0.0.1:${message.port}/`;
          const ready = { ...view, url, address: driveAddressOf({ url, user }) };
          this.running.set(folder, { view: ready, worker, ended, calls, chosen: new Map() });
          this.changed();
          // Nobody is told where the drive is before its port is held.
          void this.keepDrive({ port: message.port, address: ready.address, isMounted: false }).then(() =>
            resolve(ready),
          );
        } else if (message.kind === "committed") this.committed(folder, message.committed, message.undoable, onCommit);
        else if (message.kind === "wrong") onWrong(message.account, message.count);
        else if (message.kind === "ended") {
          ({ why, looked } = message);
          onCommit(message.committed);
        } else answerCall(calls, message);
      });
    });
  }

  private committed(folder: string, committed: Committed, undoable: number, onCommit: VisitRequest["onCommit"]): void {
    onCommit(committed);
    this.show(folder, { undoable });
  }

  private show(
    folder: string,
    change: Partial<Pick<VisitView, "undoable" | "mount" | "opened" | "endsWithPrograms">>,
  ): void {
    const running = this.running.get(folder);
    if (running) this.running.set(folder, { ...running, view: { ...running.view, ...change } });
    const drive = running && this.drives.get(running.view.address);
    if (drive && change.mount === "mounted") void this.keepDrive({ ...drive, isMounted: true });
    this.changed();
  }

  private close(folder: string, calls: Running["calls"], tell: () => void): void {
    for (const { reject } of calls.values()) reject(new EremosError("not-open", said("visit-has-ended-what-was")));
    const view = this.of(folder);
    this.files.forget(folder);
    if (view) void this.dropDrive(view);
    if (this.running.delete(folder)) tell();
    this.changed();
  }

  private keepDrive(drive: Drive): Promise<void> {
    this.drives.set(drive.address, drive);
    return this.watchDrives([...this.drives.values()]);
  }

  /** Its port is somebody else's only when the desktop does not ask there any more. */
  private async dropDrive(view: VisitView): Promise<void> {
    if (view.mount === "mounted") await unmount(view);
    this.drives.delete(view.address);
    void this.watchDrives([...this.drives.values()]);
  }

  /** @throws EremosError `not-open` where the folder is not being visited */
  call(folder: string, call: VisitCall): Promise<VisitReply> {
    const running = this.running.get(folder);
    if (!running) return Promise.reject(notVisited());
    const id = this.nextCall++;
    return new Promise((resolve, reject) => {
      running.calls.set(id, { resolve, reject });
      running.worker.postMessage({ kind: "call", id, call } satisfies ToWorker);
    });
  }

  /**
   * The drive, for every program of the desktop. @throws EremosError `not-open`; `unsupported` where the desktop has no
   * way; `io`
   */
  async mount(folder: string): Promise<void> {
    showMounted(await this.mounted(folder));
  }

  private async mounted(folder: string): Promise<VisitView> {
    const view = this.of(folder);
    if (!view) throw notVisited();
    if (view.mount === "no") throw new EremosError("unsupported", said("nothing-on-this-computer-mounts"));
    if (view.mount === "can") {
      await mount(view);
      this.show(folder, { mount: "mounted" });
    }
    return view;
  }

  /**
   * Opens a file in the program that the desktop has for it, off the drive, which is mounted for it. @throws EremosError
   * as {@link mount}; `unsupported` where no program takes it
   */
  async open(folder: string, href: string): Promise<void> {
    const view = await this.mounted(folder);
    const path = pathOf(href);
    const name = path?.at(-1);
    if (!path || !name) throw new EremosError("usage", said("that-is-not-path-inside"));
    const setting = this.files.begin(folder, shownName(name));
    await openOnDrive(view, hrefOf(path), setting).catch((error: unknown) => {
      this.files.drop(setting);
      throw error;
    });
    this.files.started(setting);
  }

  /** @throws EremosError `not-open` */
  setEndsWithPrograms(folder: string, on: boolean): void {
    if (!this.of(folder)) throw notVisited();
    this.show(folder, { endsWithPrograms: on });
    if (on) this.endLetGo(folder);
  }

  /** What a program saved last may be on its way. */
  private letGo(folder: string): void {
    setTimeout(() => this.endLetGo(folder), LAST_SAVE_MS).unref();
  }

  private endLetGo(folder: string): void {
    const view = this.of(folder);
    if (view?.endsWithPrograms && view.opened.length === 0) void this.end(folder, "let-go");
  }

  /** What is to be downloaded as one archive; returns its address. @throws EremosError `not-open` */
  choose(folder: string, hrefs: readonly string[]): string {
    const running = this.running.get(folder);
    if (!running) throw notVisited();
    const id = toBase64(randomBytes(12));
    running.chosen.set(id, hrefs);
    return `${running.view.contents}/?archive=${id}`;
  }

  chosen(folder: string, id: string): readonly string[] | null {
    return this.running.get(folder)?.chosen.get(id) ?? null;
  }

  /** Ends a visit, if there is one: requests under way may end first, for a moment. */
  async end(folder: string, why: VisitEnd = "asked"): Promise<void> {
    const running = this.running.get(folder);
    running?.worker.postMessage({ kind: "end", why } satisfies ToWorker);
    await running?.ended;
  }

  /** Waits until it has ended, by itself or because it was asked to. */
  async ended(folder: string): Promise<void> {
    await this.running.get(folder)?.ended;
  }

  async endAll(): Promise<void> {
    await Promise.all([...this.running.keys()].map((folder) => this.end(folder)));
  }
}

function notVisited(): EremosError {
  return new EremosError("not-open", said("this-folder-is-not-being"));
}

function answerCall(
  calls: Running["calls"],
  message: Extract<FromWorker, { readonly kind: "answer" | "refused" }>,
): void {
  const waiting = calls.get(message.id);
  calls.delete(message.id);
  if (message.kind === "answer") waiting?.resolve(message.reply);
  else waiting?.reject(errorOf(message.failure));
}
