"use client";
import { isEncrypting } from "@eremos/core/guards";
import { X } from "lucide-react";
import { type ReactNode, useState } from "react";
import { toast } from "sonner";
import type { FolderView } from "@eremos/server/contract";
import { PathField } from "@/parts/folders/path-field";
import { type MovingIn, useSelection } from "@/parts/folders/selection";
import { useActs } from "@/parts/folders/acts-provider";
import { Button } from "@/ui/button";
import { Choices } from "@/ui/choice";
import { Dialog, DialogEnd } from "@/ui/dialog";
import { api } from "@/lib/api";
import { baseName, parentOf } from "@/lib/format";
import { useGuarded } from "@/lib/guarded";
import { useFolders } from "@/lib/queries";
import { say } from "@eremos/words/page/desk";

type Originals = NonNullable<MovingIn["originals"]>;

/** Files and folders into a locked folder, without opening it: their originals go. */
export function MoveInDialog(): ReactNode {
  const { movingIn, moveInto } = useSelection();
  return (
    <Dialog
      open={movingIn !== null}
      onOpenChange={(open) => !open && moveInto(null)}
      title={say(movingIn?.originals === "stay" ? "put-in-title" : "move-in-title")}
      description={say("each-original-goes-when")}
    >
      {movingIn !== null && <MoveInForm key={movingIn.folder} start={movingIn} />}
    </Dialog>
  );
}

function MoveInForm({ start }: { readonly start: MovingIn }): ReactNode {
  const { moveInto } = useSelection();
  const folders = (useFolders() ?? []).filter((folder) => folder.state === "locked" && isEncrypting(folder));
  const [into, setInto] = useState(start.folder);
  const [paths, setPaths] = useState<readonly string[]>([...new Set(start.paths)]);
  const [typed, setTyped] = useState("");
  const [originals, setOriginals] = useState<Originals>(start.originals ?? "remove");
  const folder = folders.find(({ id }) => id === into) ?? null;
  const all = typed.trim() === "" ? paths : [...paths, typed];
  const { run } = useActs();
  const move = useGuarded(
    () => api.moveIn(into, all, originals),
    ({ files, left }) => {
      const words = say("files-are-moved-in", { files, name: folder?.name ?? "", originals });
      toast(words, {
        duration: 20_000,
        ...(files > 0 && originals === "remove"
          ? { action: { label: say("take-it-back"), onClick: () => folder && run("take-back", [folder]) } }
          : {}),
      });
      for (const { path, reason } of left)
        toast.error(say("stays-where-it-is", { name: baseName(path), reason }), { duration: 20_000 });
      moveInto(null);
    },
  );
  return (
    <form
      className="mt-5 space-y-5"
      onSubmit={(event) => {
        event.preventDefault();
        move.run(undefined);
      }}
    >
      <IntoWhich folders={folders} into={folder?.id ?? ""} onInto={setInto} />
      {paths.length > 0 && <GoingIn paths={paths} onPaths={setPaths} />}
      <PathField
        label={paths.length > 0 ? say("another-file-or-folder") : say("file-or-folder-to-move")}
        wants="any"
        path={typed}
        onPath={setTyped}
      />
      <Choices<Originals>
        label={say("what-becomes-of-originals")}
        columns="three"
        value={originals}
        onChoose={setOriginals}
        choices={[
          { value: "remove", title: say("they-are-removed"), text: say("you-can-take-them-back") },
          { value: "trash", title: say("into-the-trash"), text: say("readable-there-until") },
          { value: "stay", title: say("they-stay"), text: say("readable-where-they-are") },
        ]}
      />
      <p className="min-h-5 text-sm text-oxblood" role="alert">
        {move.problem}
      </p>
      <DialogEnd>
        <Button onClick={() => moveInto(null)}>{say("not-now")}</Button>
        <Button tone="dusk" type="submit" disabled={!folder || all.length === 0 || move.isBlocked}>
          {move.label(say(originals === "stay" ? "put-so-many-in" : "move-so-many-in", { count: all.length }))}
        </Button>
      </DialogEnd>
    </form>
  );
}

interface GoingInProps {
  readonly paths: readonly string[];
  readonly onPaths: (paths: readonly string[]) => void;
}

function GoingIn({ paths, onPaths }: GoingInProps): ReactNode {
  return (
    <ul
      aria-label={say("what-goes-in")}
      className="max-h-44 divide-y divide-line/70 overflow-y-auto rounded-xl border border-line bg-sheet"
    >
      {paths.map((path) => (
        <li key={path} className="flex items-center gap-3 px-4 py-2 text-sm">
          <span className="min-w-0 flex-1 truncate" title={path}>
            <span className="font-medium">{baseName(path)}</span>{" "}
            <span className="text-mute">{say("in", { name: baseName(parentOf(path)) })}</span>
          </span>
          <Button
            size="small"
            className="px-2"
            aria-label={say("leave-out", { name: baseName(path) })}
            onClick={() => onPaths(paths.filter((one) => one !== path))}
          >
            <X className="size-4" aria-hidden />
          </Button>
        </li>
      ))}
    </ul>
  );
}

interface IntoWhichProps {
  readonly folders: readonly FolderView[];
  readonly into: string;
  readonly onInto: (id: string) => void;
}

function IntoWhich({ folders, into, onInto }: IntoWhichProps): ReactNode {
  return (
    <div>
      <label htmlFor="move-into" className="mb-1.5 block text-sm font-semibold">
        {say("into-which-folder")}
      </label>
      <select
        id="move-into"
        className="h-11 w-full rounded-lg border border-line-strong/70 bg-sheet px-3 text-[15px]"
        value={into}
        onChange={(event) => onInto(event.target.value)}
      >
        <option value="">{say("choose-a-locked-folder")}</option>
        {folders.map(({ id, name, path }) => (
          <option key={id} value={id}>
            {say("name-in-place", { name, place: baseName(parentOf(path)) })}
          </option>
        ))}
      </select>
    </div>
  );
}
