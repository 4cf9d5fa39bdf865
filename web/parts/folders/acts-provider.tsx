"use client";
import { isEncrypting } from "@eremos/core/guards";
import { useRouter } from "next/navigation";
import { type ReactNode, createContext, use, useState } from "react";
import { toast } from "sonner";
import type { FolderSecret, FolderView, OpeningMode, Protection } from "@eremos/server/contract";
import { AskSecret } from "@/parts/secrets/ask-secret";
import { Button } from "@/ui/button";
import { Confirm, Dialog, DialogEnd } from "@/ui/dialog";
import { api } from "@/lib/api";
import { showError, useVerb } from "@/lib/queries";
import { ACT_WORDS, type Act, type ManyAct } from "./acts";
import { useBatch } from "./batch";
import { withConsent } from "./consent";
import { ProtectionPicker } from "./protection-choice";
import { AGAINST } from "./protections";
import { type HowRemoved, RemoveDialog } from "./remove-dialog";
import { useSelection } from "./selection";
import { say } from "@eremos/words/page/acts";
import { say as sayRemoving } from "@eremos/words/page/removing";

/** How it is done this time; the rest is as usual. */
interface How {
  /** Opening: for how long. */
  readonly mode?: OpeningMode;
  /** A visit: it ends after so long. */
  readonly minutes?: number | null;
  /** Locking: although programs have files of it open. */
  readonly anyway?: boolean;
  readonly protection?: Protection;
  readonly removed?: HowRemoved;
}

/** Does what {@link Act} names: asks what has to be asked, and tells how it ended. */
interface Acts {
  run(act: Act, folders: readonly FolderView[], how?: How): void;
  /** Something is being asked of the server: what could begin it twice waits. */
  readonly pending: boolean;
}

type Begun = { readonly job: string | null };
type Begin = (secret: FolderSecret | null) => Promise<Begun>;
interface Asked {
  readonly folder: FolderView;
  readonly act: Act;
  readonly begin: Begin;
}

const ActsContext = createContext<Acts | null>(null);

export function useActs(): Acts {
  const acts = use(ActsContext);
  if (!acts) throw new Error("useActs belongs inside ActsProvider");
  return acts;
}

const NO_JOB: Begun = { job: null };

/** What begins it, given the folder's own password where it has one and it is needed. */
function beginning(act: ManyAct, folder: FolderView, how: How): Begin {
  switch (act) {
    case "lock":
      return () => api.lock(folder.path, null, how.anyway ?? false);
    case "open":
      return (secret) => api.unlock(folder.id, how.mode ?? { kind: "usual" }, secret);
    case "check":
      return (secret) => api.check(folder.id, secret, false);
    case "release":
      return (secret) => api.release(folder.id, secret);
    case "protect":
      return (secret) => api.setProtection(folder.id, how.protection ?? folder, secret);
    case "remove":
      return () => remove(folder, how.removed ?? { way: "trash", days: 30 });
  }
}

function needsSecret(act: ManyAct, folder: FolderView, { protection }: How): boolean {
  if (!folder.hasPassword || act === "lock" || act === "remove") return false;
  if (act === "protect") return protection !== undefined && isReworked(folder, protection);
  return act === "check" || folder.state !== "open";
}

/** From sealed to another guard, or back: every file is written anew. */
export function isReworked(folder: FolderView, to: Protection): boolean {
  return folder.state === "locked" && isEncrypting(folder) !== isEncrypting(to);
}

interface Asking {
  readonly act: "release" | "protect" | "remove";
  readonly folders: readonly FolderView[];
}

/** Begins what needs nothing more; of what needs a folder's own password, each is asked for in turn. */
function useBeginning(): {
  readonly begin: (act: ManyAct, folders: readonly FolderView[], how: How) => void;
  readonly beginOne: (act: Act, folder: FolderView, start: Begin) => void;
  readonly pending: boolean;
  readonly dialog: ReactNode;
} {
  const batch = useBatch();
  const verb = useVerb((start: () => Promise<unknown>) => start());
  const [secrets, setSecrets] = useState<readonly Asked[]>([]);
  const [secret] = secrets;
  return {
    begin: (act, folders, how) => {
      const free = folders.filter((folder) => !needsSecret(act, folder, how));
      const [only] = free;
      if (only && folders.length === 1) verb.run(() => beginning(act, only, how)(null));
      else if (free.length > 0)
        batch.start(
          act,
          free.map((folder) => ({ name: folder.name, begin: () => beginning(act, folder, how)(null) })),
        );
      const asked = folders.filter((folder) => needsSecret(act, folder, how));
      setSecrets(asked.map((folder) => ({ folder, act, begin: beginning(act, folder, how) })));
    },
    beginOne: (act, folder, start) => {
      if (folder.hasPassword) setSecrets([{ folder, act, begin: start }]);
      else verb.run(() => start(null));
    },
    pending: verb.pending,
    dialog: secret && (
      <AskSecret
        key={secret.folder.id}
        folder={secret.folder}
        action={secret.act === "release" ? say("release-it", { count: 1 }) : ACT_WORDS[secret.act].replace(/…$/, "")}
        verb={secret.begin}
        onDone={() => setSecrets((now) => now.slice(1))}
      />
    ),
  };
}

export function ActsProvider({ children }: { readonly children: ReactNode }): ReactNode {
  const router = useRouter();
  const { moveInto, handOver } = useSelection();
  const { begin, beginOne, pending, dialog } = useBeginning();
  const verb = useVerb((start: () => Promise<unknown>) => start());
  const [asking, setAsking] = useState<Asking | null>(null);

  const run = (act: Act, folders: readonly FolderView[], how: How = {}): void => {
    const [folder] = folders;
    if (!folder) return;
    const contents = `/folders/${folder.id}/contents`;
    switch (act) {
      case "details":
        return router.push(`/folders/${folder.id}`);
      case "back-to-visit":
        return router.push(contents);
      case "look-for":
        return router.push("/ways-back#lost");
      case "visit":
        return beginOne(act, folder, (secret) => visit(folder, how, secret, () => router.push(contents)));
      case "end-visit":
        // Who stands in it comes out to its page; at once, so that nobody who goes elsewhere meanwhile is brought back.
        if (window.location.pathname === contents) router.push(`/folders/${folder.id}`);
        return verb.run(() => api.endVisit(folder.id));
      case "open-file":
        return verb.run(() => api.openInProgram(folder.path));
      case "show":
        return verb.run(() => api.show(folder.path, folder.state === "open" && folder.kind !== "file"));
      case "take-back":
        return beginOne(act, folder, (secret) => takeBack(folder, secret));
      case "move-in":
        return moveInto({ folder: folder.id, paths: [] });
      case "hand-over":
        handOver({ path: folder.path, hrefs: null });
        return router.push("/hand-over");
      case "open-rest":
      case "lock-rest":
        return begin(act === "open-rest" ? "open" : "lock", folders, how);
      case "put-back":
        return verb.run(() => putBack(folder));
      case "release":
      case "protect":
      case "remove":
        return setAsking({ act, folders });
      default:
        return begin(act, folders, how);
    }
  };

  return (
    <ActsContext value={{ run, pending: pending || verb.pending }}>
      {children}
      {dialog}
      <ReleaseMany
        folders={asking?.act === "release" ? asking.folders : []}
        onClose={() => setAsking(null)}
        onRelease={(folders) => {
          begin("release", folders, {});
          router.push("/");
        }}
      />
      {asking?.act === "remove" && (
        <RemoveDialog
          folders={asking.folders}
          onClose={() => setAsking(null)}
          onRemove={(removed) => {
            begin("remove", asking.folders, { removed });
            if (window.location.pathname.startsWith("/folders/")) router.push("/");
          }}
        />
      )}
      {asking?.act === "protect" && (
        <GuardMany
          folders={asking.folders}
          onClose={() => setAsking(null)}
          onChange={(protection) => begin("protect", asking.folders, { protection })}
        />
      )}
    </ActsContext>
  );
}

async function visit(
  folder: FolderView,
  { minutes = null }: How,
  secret: FolderSecret | null,
  onBegun: () => void,
): Promise<Begun> {
  await withConsent(
    folder.id,
    async (accept, given) => {
      await api.startVisit(folder.id, minutes, given, accept);
      onBegun();
    },
    secret,
  );
  return NO_JOB;
}

async function takeBack(folder: FolderView, secret: FolderSecret | null): Promise<Begun> {
  const { files } = await api.takeBackMovedIn(folder.id, secret);
  toast(say("so-many-are-back", { files }), { duration: 9000 });
  return NO_JOB;
}

async function remove(folder: FolderView, how: HowRemoved): Promise<Begun> {
  if (how.way === "now") return api.removeNow(folder.id, folder.name, how);
  const begun = await api.remove(folder.id, how.days);
  toast(sayRemoving("is-in-trash", { count: 1, name: folder.name, days: how.days }), {
    duration: 20_000,
    action: { label: sayRemoving("put-back"), onClick: () => void putBack(folder).catch(showError) },
  });
  return begun;
}

async function putBack(folder: FolderView): Promise<Begun> {
  await api.putBackFromTrash(folder.id);
  toast(sayRemoving("is-back", { name: folder.name }), { duration: 9000 });
  return NO_JOB;
}

interface ReleaseManyProps {
  readonly folders: readonly FolderView[];
  readonly onClose: () => void;
  readonly onRelease: (folders: readonly FolderView[]) => void;
}

function ReleaseMany({ folders, onClose, onRelease }: ReleaseManyProps): ReactNode {
  const count = folders.length;
  return (
    <Confirm
      open={count > 0}
      onOpenChange={(open) => !open && onClose()}
      title={say("release-title", { count, name: folders[0]?.name ?? "" })}
      action={say("release-it", { count })}
      tone="dusk"
      onConfirm={() => onRelease(folders)}
    >
      <p>{say("what-stays", { names: folders.map(({ path }) => path).join(", ") })}</p>
      <p>{say("what-goes")}</p>
    </Confirm>
  );
}

interface GuardManyProps {
  readonly folders: readonly FolderView[];
  readonly onClose: () => void;
  readonly onChange: (protection: Protection) => void;
}

function GuardMany({ folders, onClose, onChange }: GuardManyProps): ReactNode {
  const [first] = folders;
  const [protection, setProtection] = useState<Protection>(
    folders.length === 1 && first
      ? { guard: first.guard, visibility: first.visibility, cover: first.cover, icon: first.icon, bars: first.bars }
      : AGAINST.anybody.protection,
  );
  const count = folders.length;
  const anew = folders.filter((folder) => isReworked(folder, protection));
  return (
    <Dialog
      open
      onOpenChange={(open) => !open && onClose()}
      title={say("change-guard-title", { count, name: first?.name ?? "" })}
      description={say("one-choice")}
    >
      <form
        className="mt-5 space-y-5"
        onSubmit={(event) => {
          event.preventDefault();
          onChange({ ...protection, cover: count === 1 ? protection.cover : null });
          onClose();
        }}
      >
        <ProtectionPicker value={protection} onChoose={setProtection} />
        <div className="min-h-10 text-sm text-ochre">
          {anew.length > 0 && <p>{say("every-file-anew", { count: anew.length })}</p>}
          {anew.length > 0 && !isEncrypting(protection) && <p>{say("not-encrypted-after", { count: anew.length })}</p>}
        </div>
        <DialogEnd>
          <Button onClick={onClose}>{say("not-now")}</Button>
          <Button tone="dusk" type="submit">
            {say("change-it", { count })}
          </Button>
        </DialogEnd>
      </form>
    </Dialog>
  );
}
