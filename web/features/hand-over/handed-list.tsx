"use client";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import type { HandedOverView } from "@eremos/server/contract";
import { api } from "@/lib/api";
import { baseName, formatBytes } from "@/lib/format";
import { useGuarded } from "@/lib/guarded";
import { KEYS } from "@/lib/queries";
import { Button } from "@/ui/button";
import { Confirm, Dialog, DialogEnd } from "@/ui/dialog";
import { Time } from "@/ui/time";
import { ForWhom } from "./make-package";
import { say } from "@eremos/words/page/hand-over";

interface Asking {
  readonly kind: "note" | "forget";
  readonly one: HandedOverView;
}

/** What was handed over, to whom and when: for the owner alone. */
export function HandedList(): ReactNode {
  const client = useQueryClient();
  const handed = useQuery({ queryKey: KEYS.handedOver, queryFn: api.handedOver }).data;
  const [asking, setAsking] = useState<Asking | null>(null);
  const done = (): void => {
    setAsking(null);
    void client.invalidateQueries({ queryKey: KEYS.handedOver });
  };
  const forget = useGuarded((id: string) => api.forgetHandedOver(id), done);
  return (
    <section aria-labelledby="handed" className="mt-8">
      <h2 id="handed" className="mb-2 text-lg">
        {say("handed-over")}
      </h2>
      {handed?.length === 0 && <p className="text-sm text-mute">{say("nothing-handed-over")}</p>}
      {handed && handed.length > 0 && (
        <ul className="divide-y divide-line rounded-2xl border border-line bg-paper">
          {handed.map((one) => (
            <Handed key={one.id} one={one} onAsk={(kind) => setAsking({ kind, one })} />
          ))}
        </ul>
      )}
      <Dialog
        open={asking?.kind === "note"}
        onOpenChange={(open) => !open && setAsking(null)}
        title={say("write-down-title")}
        description={baseName(asking?.one.what ?? "")}
      >
        {asking?.kind === "note" && <NoteForm one={asking.one} onDone={done} />}
      </Dialog>
      <Confirm
        open={asking?.kind === "forget"}
        onOpenChange={(open) => !open && setAsking(null)}
        title={say("forget-title")}
        tone="oxblood"
        action={say("forget")}
        onConfirm={() => asking && forget.run(asking.one.id)}
      >
        <p>{say("forget-is")}</p>
      </Confirm>
    </section>
  );
}

function Handed({
  one,
  onAsk,
}: {
  readonly one: HandedOverView;
  readonly onAsk: (kind: Asking["kind"]) => void;
}): ReactNode {
  return (
    <li className="flex flex-wrap items-center gap-3 px-4 py-3">
      <div className="min-w-0 grow basis-64">
        <p className="text-[15px] font-medium break-words">
          {baseName(one.what)}{" "}
          {one.to !== "" && <span className="font-normal">{say("for-somebody", { to: one.to })}</span>}
        </p>
        <p className="text-[13px] text-mute">
          <Time at={one.at} /> · {say("handed-line", { form: one.form, files: one.files, size: formatBytes(one.size) })}
        </p>
        <p className="text-[13px] break-all text-mute">{say("handed-where", { path: one.path })}</p>
        {one.note !== "" && <p className="mt-1 text-[13px] break-words">{one.note}</p>}
      </div>
      <Button size="small" onClick={() => onAsk("note")}>
        {say("write-down")}
      </Button>
      <Button size="small" onClick={() => onAsk("forget")}>
        {say("forget")}
      </Button>
    </li>
  );
}

function NoteForm({ one, onDone }: { readonly one: HandedOverView; readonly onDone: () => void }): ReactNode {
  const [to, setTo] = useState(one.to);
  const [note, setNote] = useState(one.note);
  const keep = useGuarded(() => api.noteHandedOver(one.id, to.trim(), note.trim()), onDone);
  return (
    <form
      className="mt-5 space-y-4"
      onSubmit={(event) => {
        event.preventDefault();
        keep.run(undefined);
      }}
    >
      <ForWhom to={to} onTo={setTo} note={note} onNote={setNote} />
      {keep.problem && (
        <p className="text-sm text-oxblood" role="alert">
          {keep.problem}
        </p>
      )}
      <DialogEnd>
        <Button onClick={onDone}>{say("not-now")}</Button>
        <Button tone="dusk" type="submit" disabled={keep.isBlocked}>
          {keep.label(say("keep-it"))}
        </Button>
      </DialogEnd>
    </form>
  );
}
