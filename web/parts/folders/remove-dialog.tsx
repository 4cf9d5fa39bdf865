"use client";
import { isEncrypting } from "@eremos/core/guards";
import { type ReactNode, useState } from "react";
import type { FolderView } from "@eremos/server/contract";
import { MediumTruth } from "@/parts/overwriting/medium-truth";
import { Button } from "@/ui/button";
import { Choices } from "@/ui/choice";
import { Dialog, DialogEnd } from "@/ui/dialog";
import { Field } from "@/ui/field";
import { Tick } from "@/ui/tick";
import { say } from "@eremos/words/page/removing";

/** Into the trash for so many days, or for good. */
export type HowRemoved =
  | { readonly way: "trash"; readonly days: number }
  | { readonly way: "now"; readonly passes: 0 | 1; readonly history: boolean; readonly traces: boolean };

interface RemoveDialogProps {
  readonly folders: readonly FolderView[];
  readonly onClose: () => void;
  readonly onRemove: (how: HowRemoved) => void;
}

/** Folders with what is in them: out of sight and back with one click, or for good. */
export function RemoveDialog({ folders, onClose, onRemove }: RemoveDialogProps): ReactNode {
  const count = folders.length;
  return (
    <Dialog
      open
      onOpenChange={(open) => !open && onClose()}
      title={say("remove-title", { count, name: folders[0]?.name ?? "" })}
      description={say("remove-is", { count })}
    >
      <RemoveForm folders={folders} onClose={onClose} onRemove={onRemove} />
    </Dialog>
  );
}

function RemoveForm({ folders, onClose, onRemove }: RemoveDialogProps): ReactNode {
  const count = folders.length;
  // One in the trash already can only go for good.
  const isOnlyNow = folders.some(({ kind, removed }) => kind === "drive" || removed !== null);
  const [way, setWay] = useState<HowRemoved["way"]>(isOnlyNow ? "now" : "trash");
  const [days, setDays] = useState(30);
  const [passes, setPasses] = useState<0 | 1>(0);
  const [traces, setTraces] = useState(true);
  const [history, setHistory] = useState(false);
  const [typed, setTyped] = useState("");
  const proof = count === 1 ? (folders[0]?.name ?? "") : String(count);
  const isProven = typed.normalize("NFC") === proof.normalize("NFC");
  const open = folders.filter(({ state }) => state === "open").length;
  return (
    <form
      className="mt-5 space-y-4"
      onSubmit={(event) => {
        event.preventDefault();
        onRemove(way === "trash" ? { way, days } : { way, passes, history, traces });
        onClose();
      }}
    >
      {!folders.some(({ removed }) => removed !== null) && (
        <Choices<HowRemoved["way"]>
          label={say("how-to-remove")}
          columns="two"
          value={way}
          onChoose={setWay}
          choices={[
            {
              value: "trash",
              title: say("into-the-trash"),
              text: say("trash-text"),
              unavailable: isOnlyNow ? say("drives-dont") : null,
            },
            { value: "now", title: say("for-good"), text: say("for-good-text") },
          ]}
        />
      )}
      {way === "trash" ? (
        <IntoTrash folders={folders} days={days} onDays={setDays} />
      ) : (
        <>
          <ForGood folders={folders} passes={passes} onPasses={setPasses} />
          <Tick label={say("clear-traces-first")} value={traces} onChange={setTraces} />
          <Tick label={say("history-too")} value={history} onChange={setHistory} />
          <Field
            label={count === 1 ? say("type-its-name", { name: proof }) : say("type-the-number", { count })}
            autoComplete="off"
            spellCheck={false}
            value={typed}
            onChange={(event) => setTyped(event.target.value)}
          />
        </>
      )}
      {open > 0 && <p className="text-[13px] text-mute">{say("locked-first", { count })}</p>}
      <DialogEnd>
        <Button onClick={onClose}>{say("not-now")}</Button>
        <Button tone={way === "trash" ? "dusk" : "oxblood"} type="submit" disabled={way === "now" && !isProven}>
          {way === "trash" ? say("put-into-trash", { count }) : say("remove-for-good", { count })}
        </Button>
      </DialogEnd>
    </form>
  );
}

const DAYS = [7, 30, 90, 365] as const;

interface IntoTrashProps {
  readonly folders: readonly FolderView[];
  readonly days: number;
  readonly onDays: (days: number) => void;
}

function IntoTrash({ folders, days, onDays }: IntoTrashProps): ReactNode {
  const plain = folders.filter((folder) => !isEncrypting(folder));
  return (
    <>
      <label className="flex flex-wrap items-center gap-3 text-sm">
        <span className="font-semibold">{say("for-how-long")}</span>
        <select
          className="h-9 w-36 rounded-lg border border-line bg-sheet px-2.5"
          value={days}
          onChange={(event) => onDays(Number(event.target.value))}
        >
          {DAYS.map((one) => (
            <option key={one} value={one}>
              {say("so-many-days", { days: one })}
            </option>
          ))}
        </select>
      </label>
      <p className="text-[13px] text-mute">{say("then-for-good")}</p>
      {plain.length > 0 && (
        <p className="text-sm text-ochre">
          {say("not-encrypted-there", { names: plain.map(({ name }) => name).join(", "), count: plain.length })}
        </p>
      )}
    </>
  );
}

interface ForGoodProps {
  readonly folders: readonly FolderView[];
  readonly passes: 0 | 1;
  readonly onPasses: (passes: 0 | 1) => void;
}

function ForGood({ folders, passes, onPasses }: ForGoodProps): ReactNode {
  const [first] = folders;
  const isPlain = folders.some((folder) => !isEncrypting(folder));
  return (
    <>
      <p className="text-[13px] text-mute">{say("keys-always")}</p>
      {isPlain && <p className="text-sm text-ochre">{say("contents-plain")}</p>}
      <Tick label={say("also-overwrite")} value={passes === 1} onChange={(on) => onPasses(on ? 1 : 0)} />
      {(passes === 1 || isPlain) && first && <MediumTruth path={first.path} />}
    </>
  );
}
