"use client";
import { useQuery } from "@tanstack/react-query";
import { Check, Copy, FileDown, FolderOpen, LockKeyhole, Mail } from "lucide-react";
import { type ReactNode, useState } from "react";
import { toast } from "sonner";
import type { HandedOverView } from "@eremos/server/contract";
import { useSelection } from "@/parts/folders/selection";
import { api } from "@/lib/api";
import { baseName, formatBytes } from "@/lib/format";
import { useGuarded } from "@/lib/guarded";
import { KEYS, useVerb } from "@/lib/queries";
import { savePdf } from "@/lib/save-pdf";
import { Button } from "@/ui/button";
import { Dialog, DialogEnd } from "@/ui/dialog";
import { Field } from "@/ui/field";
import type { Making } from "./make-package";
import { say } from "@eremos/words/page/hand-over";

/** What was made, and what is to be done now: tell the password apart, and lock what still lies readable. */
export function Made({
  making: { job, password },
  onAnother,
}: {
  readonly making: Making;
  readonly onAnother: () => void;
}): ReactNode {
  const one = useQuery({ queryKey: KEYS.handedOver, queryFn: api.handedOver }).data?.find((made) => made.job === job);
  const show = useVerb(api.show);
  if (!one) return null;
  return (
    <section aria-labelledby="made" className="rounded-2xl border border-line bg-paper p-5">
      <h2 id="made" className="flex items-center gap-2 text-lg">
        <Check className="size-5 text-dusk" aria-hidden />
        {say("made-title")}
      </h2>
      <p className="mt-2 text-[15px]">
        {say("made-is", { files: one.files, size: formatBytes(one.size) })}{" "}
        <strong className="break-all">{one.path}</strong>
      </p>
      {one.sha256 !== null && <Copyable label={say("sha256-is")} text={one.sha256} />}
      <Button className="mt-3" onClick={() => show.run(one.path, one.form === "folder")}>
        <FolderOpen className="size-4" aria-hidden />
        {say("show-it")}
      </Button>
      <TellPassword one={one} password={password} />
      <Original one={one} />
      <Button className="mt-5" onClick={onAnother}>
        {say("another-package")}
      </Button>
    </section>
  );
}

function Copyable({ label, text }: { readonly label: string; readonly text: string }): ReactNode {
  const [isCopied, setCopied] = useState(false);
  const copy = async (): Promise<void> => {
    await navigator.clipboard.writeText(text);
    setCopied(true);
  };
  return (
    <div className="mt-3">
      <p className="text-[13px] text-mute">{label}</p>
      <div className="mt-1 flex items-center gap-2">
        <code className="min-w-0 flex-1 rounded-lg bg-sand/60 px-3 py-2 font-mono text-[13px] break-all">{text}</code>
        <Button size="small" onClick={() => void copy()}>
          <Copy className="size-4" aria-hidden />
          {isCopied ? say("copied") : say("copy")}
        </Button>
      </div>
    </div>
  );
}

function TellPassword({ one, password }: { readonly one: HandedOverView; readonly password: string }): ReactNode {
  const [isMailing, setMailing] = useState(false);
  const paper = useVerb(async () => {
    const { pdf } = await api.packagePaper(one.id, password);
    savePdf(pdf, say("paper-file-name"));
  });
  return (
    <div className="mt-5 rounded-xl bg-dusk-soft/60 p-4">
      <h3 className="font-sans text-[15px] font-semibold">{say("tell-password-apart")}</h3>
      <p className="mt-1 text-sm text-mute">{say("by-phone")}</p>
      <Copyable label={say("its-password")} text={password} />
      <div className="mt-3 flex flex-wrap gap-2">
        <Button onClick={() => paper.run()} disabled={paper.pending}>
          <FileDown className="size-4" aria-hidden />
          {say("print-the-paper")}
        </Button>
        <Button onClick={() => setMailing(true)}>
          <Mail className="size-4" aria-hidden />
          {say("send-by-mail")}
        </Button>
      </div>
      <Dialog open={isMailing} onOpenChange={setMailing} title={say("mail-title")} description={say("mail-is")}>
        {isMailing && <MailForm one={one} password={password} onDone={() => setMailing(false)} />}
      </Dialog>
    </div>
  );
}

function MailForm({
  one,
  password,
  onDone,
}: {
  readonly one: HandedOverView;
  readonly password: string;
  readonly onDone: () => void;
}): ReactNode {
  const [name, setName] = useState(one.to);
  const [mail, setMail] = useState("");
  const send = useGuarded(
    () => api.mailPackagePaper(one.id, password, name, mail),
    () => {
      toast.success(say("mail-is-sent"));
      onDone();
    },
  );
  return (
    <form
      className="mt-5 space-y-4"
      onSubmit={(event) => {
        event.preventDefault();
        send.run(undefined);
      }}
    >
      <Field label={say("their-name")} value={name} onChange={(event) => setName(event.target.value)} />
      <Field
        label={say("their-address")}
        type="email"
        value={mail}
        onChange={(event) => setMail(event.target.value)}
        problem={send.problem}
      />
      <DialogEnd>
        <Button onClick={onDone}>{say("not-now")}</Button>
        <Button tone="dusk" type="submit" disabled={name.trim() === "" || mail === "" || send.isBlocked}>
          {send.label(say("send-it"))}
        </Button>
      </DialogEnd>
    </form>
  );
}

/** What was handed over, and still lies there for everybody to read. */
function Original({ one }: { readonly one: HandedOverView }): ReactNode {
  const { protect } = useSelection();
  const lock = useVerb(() => api.lock(one.what, null, false));
  if (one.lies === "locked") return null;
  const isOpen = one.lies === "open";
  return (
    <div className="mt-4 flex flex-wrap items-center justify-between gap-3 rounded-xl bg-ochre-soft px-4 py-3 text-sm text-ochre">
      <p className="min-w-0 flex-1">
        {isOpen ? (
          say("original-open")
        ) : (
          <>
            {say("original-readable")} <span className="font-semibold break-all">{baseName(one.what)}</span>
          </>
        )}
      </p>
      <Button onClick={() => (isOpen ? lock.run() : protect(one.what))} disabled={lock.pending}>
        <LockKeyhole className="size-4" aria-hidden />
        {say("lock-it-now")}
      </Button>
    </div>
  );
}
