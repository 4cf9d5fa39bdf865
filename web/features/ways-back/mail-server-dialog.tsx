"use client";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { toast } from "sonner";
import type { MailServerView } from "@eremos/server/contract";
import { api } from "@/lib/api";
import { useGuarded } from "@/lib/guarded";
import { KEYS } from "@/lib/queries";
import { Button } from "@/ui/button";
import { Dialog } from "@/ui/dialog";
import { Field, PasswordField } from "@/ui/field";
import { say } from "@eremos/words/page/ways-back";

const SECURITY: Readonly<Record<MailServerView["security"], string>> = {
  tls: say("encrypted-from-beginning-tls"),
  starttls: say("encrypted-before-anything-is-sent"),
  none: say("not-encrypted-this-computer-only"),
};
const EMPTY: MailServerView = { host: "", port: 587, security: "starttls", user: "", from: "" };

/** How mail leaves this computer. Kept encrypted, like everything of the owner's. */
export function MailServerDialog({
  open,
  onClose,
}: {
  readonly open: boolean;
  readonly onClose: () => void;
}): ReactNode {
  const known = useQuery({ queryKey: KEYS.mailServer, queryFn: api.mailServer, enabled: open }).data;
  return (
    <Dialog
      open={open}
      onOpenChange={(isOpen) => !isOpen && onClose()}
      title={say("mail-server-2")}
      description={say("your-mail-provider-tells-you")}
    >
      {known && <Form key={known.server?.host ?? ""} server={known.server ?? EMPTY} onDone={onClose} />}
    </Dialog>
  );
}

function Form({ server, onDone }: { readonly server: MailServerView; readonly onDone: () => void }): ReactNode {
  const [asked, setAsked] = useState(server);
  const [password, setPassword] = useState("");
  const client = useQueryClient();
  const save = useGuarded(
    () => api.setMailServer({ ...asked, password }),
    () => {
      toast.success(say("shares-can-be-sent-by"));
      for (const queryKey of [KEYS.mailServer, KEYS.keyholders]) void client.invalidateQueries({ queryKey });
      onDone();
    },
  );
  return (
    <form
      className="mt-5 space-y-4"
      onSubmit={(event) => {
        event.preventDefault();
        save.run(undefined);
      }}
    >
      <Connection asked={asked} onAsked={setAsked} />
      <div className="flex gap-3">
        <Field
          className="flex-1"
          label={say("user-where-it-asks-for")}
          autoComplete="off"
          spellCheck={false}
          value={asked.user}
          onChange={(event) => setAsked({ ...asked, user: event.target.value })}
        />
        <PasswordField
          className="flex-1"
          label={say("its-password")}
          autoComplete="off"
          value={password}
          onChange={(event) => setPassword(event.target.value)}
        />
      </div>
      <Field
        label={say("your-mail-address")}
        type="email"
        value={asked.from}
        onChange={(event) => setAsked({ ...asked, from: event.target.value })}
        problem={save.problem}
      />
      <div className="flex justify-end gap-2">
        <Button onClick={onDone}>{say("not-now")}</Button>
        <Button
          tone="dusk"
          type="submit"
          disabled={asked.host.trim() === "" || asked.from.trim() === "" || save.isBlocked}
        >
          {save.label(say("keep-it"))}
        </Button>
      </div>
    </form>
  );
}

interface ConnectionProps {
  readonly asked: MailServerView;
  readonly onAsked: (asked: MailServerView) => void;
}

function Connection({ asked, onAsked }: ConnectionProps): ReactNode {
  return (
    <>
      <div className="flex gap-3">
        <Field
          className="flex-1"
          label={say("server")}
          autoFocus
          autoComplete="off"
          spellCheck={false}
          value={asked.host}
          onChange={(event) => onAsked({ ...asked, host: event.target.value })}
        />
        <Field
          className="w-28"
          label={say("port")}
          inputMode="numeric"
          value={String(asked.port)}
          onChange={(event) => onAsked({ ...asked, port: Number(event.target.value.replace(/\D/g, "")) })}
        />
      </div>
      <label className="block text-sm font-semibold">
        {say("connection")}
        <select
          className="mt-1.5 h-11 w-full rounded-lg border border-line-strong/70 bg-sheet px-3 font-normal"
          value={asked.security}
          onChange={(event) => onAsked({ ...asked, security: event.target.value as MailServerView["security"] })}
        >
          {Object.entries(SECURITY).map(([value, words]) => (
            <option key={value} value={value}>
              {words}
            </option>
          ))}
        </select>
      </label>
    </>
  );
}
