"use client";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { toast } from "sonner";
import type { FolderView, NewKeysView, ShownCode } from "@eremos/server/contract";
import { KEEP_CODE, KeepCode } from "@/parts/secrets/keep-code";
import { PROVE_CODE, ProveCode } from "@/parts/secrets/prove-code";
import { CurrentPassword } from "@/parts/secrets/current-password";
import { useWithSecret } from "@/parts/secrets/ask-secret";
import { AT_THE_GATE, useNewPassword } from "@/parts/secrets/new-password";
import { api } from "@/lib/api";
import { useGuarded } from "@/lib/guarded";
import { KEYS, useFolders, useVerb } from "@/lib/queries";
import { Button } from "@/ui/button";
import { Dialog } from "@/ui/dialog";
import { Time } from "@/ui/time";
import { say } from "@eremos/words/page/ways-back";

type Step = "present" | "new" | "code" | "proof";

interface Chosen {
  readonly password: string;
  readonly hint: string | null;
}

/** The master password, the code or a copy of what they open is in other hands: everything gets another key. */
export function NewKeysWay(): ReactNode {
  const view = useQuery({ queryKey: KEYS.newKeys, queryFn: api.newKeys }).data?.view ?? null;
  const [isMaking, setMaking] = useState(false);
  return (
    <div className="space-y-3">
      <p>{say("another-master-password-alone-is")}</p>
      <p>{say("what-they-copied-before-stays")}</p>
      <Button onClick={() => setMaking(true)}>{say("make-new-keys")}</Button>
      {view && <Progress view={view} />}
      {isMaking && <Making onClose={() => setMaking(false)} />}
    </div>
  );
}

const HEADS = {
  present: {
    title: say("new-keys"),
    text: say("first-master-password-that-you"),
  },
  new: { title: say("another-master-password"), text: say("one-that-has-nothing-present") },
  code: KEEP_CODE,
  proof: PROVE_CODE,
} as const;

function Making({ onClose }: { readonly onClose: () => void }): ReactNode {
  const client = useQueryClient();
  const [step, setStep] = useState<Step>("present");
  const [shown, setShown] = useState<ShownCode | null>(null);
  const [chosen, setChosen] = useState<Chosen | null>(null);
  const begin = useGuarded(api.beginNewKeys, (code) => {
    setShown(code);
    setStep("new");
  });
  const finish = useGuarded(
    (groups: readonly string[]) =>
      api.finishNewKeys(shown?.id ?? "", groups, chosen?.password ?? "", chosen?.hint ?? null),
    () => {
      toast.success(say("your-new-keys-hold-folders"), {
        duration: 12_000,
      });
      void client.invalidateQueries();
      onClose();
    },
  );
  return (
    <Dialog open onOpenChange={(open) => !open && onClose()} title={HEADS[step].title} description={HEADS[step].text}>
      {step === "present" && <CurrentPassword action={say("go-on")} verb={begin} onCancel={onClose} />}
      {step === "new" && (
        <NewPassword
          onChosen={(one) => {
            setChosen(one);
            setStep("code");
          }}
          onCancel={onClose}
        />
      )}
      {step === "code" && shown && <KeepCode shown={shown} onKept={() => setStep("proof")} />}
      {step === "proof" && shown && (
        <ProveCode
          ask={shown.ask}
          pending={finish.pending}
          problem={finish.problem}
          onBack={() => setStep("code")}
          onTyped={finish.run}
        />
      )}
    </Dialog>
  );
}

function NewPassword({
  onChosen,
  onCancel,
}: {
  readonly onChosen: (chosen: Chosen) => void;
  readonly onCancel: () => void;
}): ReactNode {
  const { chosen, fields } = useNewPassword({ label: say("new-master-password"), hintNote: AT_THE_GATE });
  return (
    <form
      className="mt-5 space-y-4"
      onSubmit={(event) => {
        event.preventDefault();
        onChosen({ password: chosen.password, hint: chosen.hint });
      }}
    >
      {fields}
      <div className="flex justify-end gap-2">
        <Button type="button" onClick={onCancel}>
          {say("not-now")}
        </Button>
        <Button tone="dusk" type="submit" disabled={!chosen.ready}>
          {say("show-me-new-code")}
        </Button>
      </div>
    </form>
  );
}

const WHY: Readonly<Record<NewKeysView["waiting"][number]["why"], string>> = {
  working: say("under-way"),
  away: say("away-connect-its-drive-and"),
  open: say("open-now-lock-it"),
  password: say("has-password-its-own-which"),
  refused: say("not-done-yet"),
};

/** The three numbers, and which folders they are. */
function Progress({ view }: { readonly view: NewKeysView }): ReactNode {
  const { at, anew, waiting, older } = view;
  return (
    <section aria-label={say("how-far-it-is")} className="rounded-xl border border-line px-4 py-3">
      <p className="text-mute">
        {say("new-keys-were-made")} <Time at={at} />.
      </p>
      <dl className="mt-2 grid grid-cols-3 gap-3">
        <Figure figure={anew} of={anew === 1 ? say("folder-is-encrypted-anew") : say("folders-are-encrypted-anew")} />
        <Figure
          figure={waiting.length}
          of={waiting.length === 1 ? say("waits-away-open-or-under") : say("wait-away-open-or-under")}
        />
        <Figure
          figure={older.length}
          of={older.length === 1 ? say("keeps-earlier-states-that-earlier") : say("keep-earlier-states-that-earlier")}
        />
      </dl>
      {waiting.length > 0 && (
        <ul className="mt-3 divide-y divide-line/70 border-t border-line">
          {waiting.map((folder) => (
            <Waiting key={folder.id} folder={folder} />
          ))}
        </ul>
      )}
      {older.length > 0 && (
        <p className="mt-3 text-mute">
          {say("they-go-as-newer-ones", {
            older: older.map(({ name, states }) => `${name}: ${say("earlier-states", { states })}`).join("; "),
          })}
        </p>
      )}
    </section>
  );
}

function Figure({ figure, of }: { readonly figure: number; readonly of: string }): ReactNode {
  return (
    <div className="flex flex-col-reverse justify-end">
      <dt className="text-mute">{of}</dt>
      <dd className="text-2xl font-semibold">{figure}</dd>
    </div>
  );
}

function Waiting({ folder }: { readonly folder: NewKeysView["waiting"][number] }): ReactNode {
  const { id, name, path, why, refusal, hasKey } = folder;
  const shown = useFolders()?.find((one) => one.id === id);
  const client = useQueryClient();
  const again = useVerb(async (accept: readonly "unvouched"[]) => {
    await api.renewFolder(id, null, accept);
    await client.invalidateQueries({ queryKey: KEYS.newKeys });
  });
  return (
    <li className="flex flex-wrap items-center gap-x-4 gap-y-1 py-2">
      <span className="min-w-0 flex-1" title={path}>
        <span className="font-medium">{name}</span>{" "}
        <span className="text-mute">{say("it-has-its-new-key", { why: WHY[why], hasKey })}</span>
        {refusal && <span className="block text-ochre">{refusal}</span>}
      </span>
      {why === "refused" && (
        <Button size="small" disabled={again.pending} onClick={() => again.run(refusal ? ["unvouched"] : [])}>
          {refusal ? say("it-was-me-go-on") : say("go-on-now")}
        </Button>
      )}
      {why === "password" && shown && <WithItsPassword folder={shown} />}
    </li>
  );
}

function WithItsPassword({ folder }: { readonly folder: FolderView }): ReactNode {
  const client = useQueryClient();
  const renew = useWithSecret(
    folder,
    say("encrypt-it-anew"),
    async (secret) => {
      await api.renewFolder(folder.id, secret, []);
      await client.invalidateQueries({ queryKey: KEYS.newKeys });
    },
    true,
  );
  return (
    <>
      <Button size="small" disabled={renew.pending} onClick={() => renew.run()}>
        {say("type-its-password")}
      </Button>
      {renew.dialog}
    </>
  );
}
